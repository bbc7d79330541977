export * from "./session.ts";
