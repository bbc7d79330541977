export * from "./seal.ts";
export * from "./token.ts";
export * from "./key-ring.ts";
export * from "./sealed-digest.ts";
