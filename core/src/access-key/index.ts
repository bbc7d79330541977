export * from "./access-key.ts";
