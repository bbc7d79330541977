export * from "./throttle.ts";
