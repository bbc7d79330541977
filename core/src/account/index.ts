export * from "./identifier.ts";
export * from "./language.ts";

/** The built-in label whose holders may use the console and the operator API. */
export const OPERATOR_LABEL = "operator";

export const ACCOUNT_STATES = ["invited", "active", "suspended"] as const;
export type AccountState = (typeof ACCOUNT_STATES)[number];
