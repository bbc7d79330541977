/** Made at build time from a well-kept package's list: common passwords in lower case, the commonest first. */
declare module "virtual:common-passwords" {
  const common: readonly string[];
  export default common;
}
