export * from "./chain.ts";
export * from "./kinds.ts";
