export * from "./token.ts";
