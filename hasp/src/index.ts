/** Puts a web application behind Lucchetto. Frameworks: `@lucchetto/hasp/fastify`, `@lucchetto/hasp/express`, `@lucchetto/hasp/web`. */
export { createHasp } from "./hasp.ts";
export type { SignedInAccount } from "./account.ts";
export type { VisitorAtForm } from "./form-visitors.ts";
export type { Guard, PathPattern } from "./guard.ts";
export type { Hasp, AccessResult } from "./hasp.ts";
export type { AccessRequirements } from "./access-requirements.ts";
export type { KeptTokens } from "./kept-tokens.ts";
export { HaspOptionsError } from "./options.ts";
export type { FormsOptions, HaspOptions } from "./options.ts";
export type { Answer, IncomingRequest } from "./incoming-request.ts";
export type { Accounts, LookUp, NewPerson, Search } from "./service.ts";
export { LucchettoNotSetUp, LucchettoRefused, LucchettoUnreachable } from "./service.ts";
export { readWebhook, WebhookRefused } from "./webhook.ts";
export type { ConsultAnswer, ConsultQuestion, IncomingWebhook, Notice } from "./webhook.ts";
