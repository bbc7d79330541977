export * from "./base32.ts";
export * from "./key-uri.ts";
export * from "./totp.ts";
