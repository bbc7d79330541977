export * from "./data-source.ts";
export * from "./entities/index.ts";
export * from "./in-transaction.ts";
export * from "./joined-look-up.ts";
export * from "./new-id.ts";
export * from "./page.ts";
export * from "./open.ts";
export * from "./use-notes.ts";
export { sweepRows } from "./sweep-rows.ts";
