export * from "./decide.ts";
export * from "./pending.ts";
export * from "./way.ts";
export { ONE_TIME_PASSWORD } from "./methods.ts";
