export * from "./decide.ts";
export * from "./pending.ts";
