export * from "./pkce.ts";
export * from "./redirect-address.ts";
