export * from "./identifier.ts";
export * from "./language.ts";

/** The built-in label whose holders may use the console and the operator API. */
export const OPERATOR_LABEL = "operator";

/** The built-in label whose holders read what operators read, and change nothing. */
export const AUDITOR_LABEL = "auditor";

/** `closed`: being erased; it can still be stopped. */
export const ACCOUNT_STATES = ["invited", "active", "suspended", "closed"] as const;
/** One of `ACCOUNT_STATES`. */
export type AccountState = (typeof ACCOUNT_STATES)[number];
