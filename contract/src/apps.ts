import type { Open } from "./route.ts";
/**
 * What applications take from the contract: people's calls and their own. Nothing of the operators' is loaded, so that an application
 * starts with less, and holds no shape that it may never see.
 */
import { appRoutes } from "./routes/apps/index.ts";
import { peopleRoutes } from "./routes/people/index.ts";
import type { Account as ShownAccount } from "./shapes/people.ts";

export { ProblemError, UnreachableError } from "./call.ts";
export type { ClientOptions } from "./call.ts";
export { createClient } from "./client.ts";
export type { Client } from "./client.ts";
export { introspection, OAUTH_PATHS, tokenReply } from "./oauth.ts";
export { CONTINUE_PATH } from "./paths.ts";
export type { ActiveIntrospection } from "./oauth.ts";
export { ownPathOr } from "./own-path.ts";
export { isPathPattern } from "./path-pattern.ts";
export { MAP_PATH, wantedInWords } from "./route-map.ts";
export type { MappedRoute } from "./route-map.ts";
export { problemPath, PROBLEMS } from "./problems.ts";
export type { ProblemCode } from "./problems.ts";
export { codeProofOf } from "./proofs.ts";
export { MAX_CHECKED_TOKENS } from "./routes/apps/check.ts";
export { MAIL_LANGUAGES } from "./routes/people/account.ts";
export { readReply } from "./read-reply.ts";
export type { Open } from "./route.ts";
export type { Problem } from "./shapes/people.ts";
export { problem } from "./shapes/people.ts";
export { consultQuestion, notice } from "./webhooks.ts";
export type { ConsultAnswer, ConsultQuestion, Notice } from "./webhooks.ts";

/** What applications know of somebody. */
export type Account = Open<ShownAccount>;

/** The calls of people and of applications, by name. */
export const routes = { ...peopleRoutes, ...appRoutes } as const;
