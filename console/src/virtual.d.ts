/** Made at build time from a well-kept package's list: common passwords in lower case, the commonest first. */
declare module "virtual:common-passwords" {
  const common: readonly string[];
  export default common;
}

/** Made at build time from the contract: of each route its method and path, typed as the contract types it. */
declare module "virtual:routes" {
  import type { routes as ofTheContract } from "@lucchetto/contract";
  export const routes: typeof ofTheContract;
}
