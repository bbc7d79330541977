export * from "./token.ts";
export * from "./key-ring.ts";
