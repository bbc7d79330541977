export * from "./decide.ts";
