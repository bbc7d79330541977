/** Puts a web application behind Lucchetto. Frameworks: `@lucchetto/hasp/fastify`, `@lucchetto/hasp/express`. */
export { createHasp } from "./hasp.ts";
export type { Hasp, Passage, SignedInAccount, Wanted } from "./hasp.ts";
export { HaspOptionsError } from "./options.ts";
export type { HaspOptions } from "./options.ts";
export type { Answer, Visit } from "./visit.ts";
export type { LookUp } from "./lucchetto.ts";
export { readWebhook, WebhookRefused } from "./webhook.ts";
export type { ConsultAnswer, ConsultQuestion, IncomingWebhook, Notice } from "./webhook.ts";
