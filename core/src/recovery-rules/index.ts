export * from "./document.ts";
export * from "./from-before.ts";
export * from "./table.ts";
