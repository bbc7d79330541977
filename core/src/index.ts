/** Everything Lucchetto knows: decisions and computations without I/O, clock or framework. */
export * from "./access-key/index.ts";
export * from "./account/index.ts";
export * from "./journal/index.ts";
export * from "./link/index.ts";
export * from "./mail/index.ts";
export * from "./oauth/index.ts";
export * from "./password/index.ts";
export * from "./recipe/index.ts";
export * from "./recovery/index.ts";
export * from "./recovery-rules/index.ts";
export * from "./secrets/index.ts";
export * from "./session/index.ts";
export * from "./sign-in/index.ts";
export * from "./throttle/index.ts";
export * from "./totp/index.ts";
export * from "./webhook/index.ts";
