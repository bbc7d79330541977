/** Lucchetto's HTTP contract. */
export * from "./client.ts";
export * from "./oauth.ts";
export * from "./own-path.ts";
export * from "./page-state.ts";
export * from "./problems.ts";
export * from "./route.ts";
export { routes } from "./routes/index.ts";
export type { NextProof, Proof, ProofWanted } from "./routes/sign-in.ts";
export { SESSION_EVENTS_PATH } from "./routes/session.ts";
export { mailHtmlPath } from "./routes/mail.ts";
export type { LinkLook, MailboxItem, MailSource } from "./routes/mail.ts";
export type { HashTuning } from "./routes/tuning.ts";
export * from "./shapes.ts";
export * from "./webhooks.ts";
