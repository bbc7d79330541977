export * from "./decide.ts";
export * from "./pending.ts";
export * from "./way.ts";
