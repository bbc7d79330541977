/**
 * What the service's own pages take from the contract: no schemas, which would make every page heavy. Pages trust the
 * service that served them.
 */
import type { CallParts, ClientOptions, Target } from "./call.ts";
import { exchange, foreignAnswer, ProblemError } from "./call.ts";
import type { CallOf, ReplyOf, Route } from "./route.ts";
import type { Problem } from "./shapes/people.ts";

export { ProblemError, UnreachableError } from "./call.ts";
export { delimiterOf, MAX_PART, MAX_UPLOAD } from "./import-source.ts";
export { knownProgram } from "./known-programs.ts";
export { ownPathOr } from "./own-path.ts";
export { mailHtmlPath, PAGE_STATE_ELEMENT, SESSION_EVENTS_PATH } from "./paths.ts";
export type { PagePath } from "./paths.ts";
export { isCodeProof } from "./proofs.ts";
export type { CodeProofName } from "./proofs.ts";
export { RECENT_KEY_DAYS } from "./recent-keys.ts";

/** As `Client`; what a page receives comes from the service that it belongs to, so there are no newer choices. */
export type PageClient = <R extends Route>(
  route: R,
  ...call: keyof CallOf<R> extends never ? [] : [CallOf<R>]
) => Promise<ReplyOf<R>>;

/** The client of the contract, over routes of which only method and path are there. */
export function createPageClient(options: ClientOptions): PageClient {
  const call = async (target: Target, parts: CallParts = {}): Promise<{ status: number; body: unknown }> => {
    const { status, body } = await exchange(options, target, parts);
    if (status >= 200 && status < 300) return { status, body };
    if (isProblem(body)) throw new ProblemError(body);
    throw foreignAnswer(options, status);
  };
  return call as unknown as PageClient;
}

function isProblem(body: unknown): body is Problem {
  return typeof body === "object" && body !== null && "code" in body && "detail" in body;
}
