/** Problems as replies (RFC 9457), written in one place. */
import type { Problem, ProblemCode } from "@lucchetto/contract";
import { problemPath, PROBLEMS } from "@lucchetto/contract";
import type { FastifyInstance, FastifyReply, FastifyRequest } from "fastify";
import type { ProblemParts } from "../../base/problem.ts";
import { ProblemReply } from "../../base/problem.ts";
import { isStorageUnavailable } from "../../base/storage/index.ts";
import type { RefusalJournal } from "../context.ts";
import { visitOf } from "./visit.ts";

/** The problem's body. */
export function problemBody(
  code: ProblemCode,
  { publicUrl, requestId, parts = {} }: { publicUrl: string; requestId: string; parts?: ProblemParts },
): Problem {
  const { status, title, meaning, remedy } = PROBLEMS[code];
  return {
    type: publicUrl + problemPath(code),
    code,
    title,
    status,
    detail: parts.detail ?? `${meaning} ${remedy}`,
    requestId,
    ...(parts.errors === undefined ? {} : { errors: [...parts.errors] }),
    ...(parts.retryAfter === undefined ? {} : { retryAfter: parts.retryAfter }),
  };
}

/** Sends a problem with the headers that its status asks for. */
export function sendProblem(
  request: FastifyRequest,
  reply: FastifyReply,
  publicUrl: string,
  { code, parts }: Pick<ProblemReply, "code" | "parts">,
): FastifyReply {
  const { status } = PROBLEMS[code];
  // RFC 9110 section 15.5.2: a 401 names a challenge.
  if (status === 401) void reply.header("www-authenticate", `Bearer realm="${publicUrl}"`);
  if (parts.retryAfter !== undefined) void reply.header("retry-after", parts.retryAfter);
  if (parts.headers !== undefined) void reply.headers(parts.headers);
  return reply
    .status(status)
    .header("cache-control", "no-store")
    .type("application/problem+json")
    .send(JSON.stringify(problemBody(code, { publicUrl, requestId: request.id, parts })));
}

/** Seconds after which a client may ask again when the database was away. */
const STORAGE_RETRY_AFTER = 2;

/** What the framework raises, in terms of the catalogue. */
const FRAMEWORK_ERRORS: Readonly<Record<string, ProblemCode>> = {
  FST_ERR_CTP_INVALID_MEDIA_TYPE: "unsupported-media-type",
  FST_ERR_CTP_BODY_TOO_LARGE: "body-too-large",
  FST_ERR_CTP_EMPTY_JSON_BODY: "malformed-request",
  FST_ERR_CTP_INVALID_CONTENT_LENGTH: "malformed-request",
  FST_ERR_CTP_INVALID_JSON_BODY: "malformed-request",
  FST_ERR_BAD_URL: "malformed-request",
  FST_ERR_MAX_PARAM_LENGTH: "address-too-long",
  FST_ERR_ASYNC_CONSTRAINT: "malformed-request",
};

/** Which problem an error is. Only what nobody foresaw becomes `internal-error`, and that is logged. */
export function problemOf(error: unknown): Pick<ProblemReply, "code" | "parts"> {
  if (error instanceof ProblemReply) return error;
  if (isStorageUnavailable(error)) {
    return { code: "storage-unavailable", parts: { retryAfter: STORAGE_RETRY_AFTER } };
  }
  const frameworkCode = error instanceof Error && "code" in error ? String(error.code) : "";
  const code = FRAMEWORK_ERRORS[frameworkCode];
  if (code !== undefined) return { code, parts: {} };
  const status = error instanceof Error && "statusCode" in error ? Number(error.statusCode) : 500;
  // What the framework or a plugin refuses, it refuses for the request's sake: never a fault of ours.
  if (status === 403 || status === 404) return { code: "not-found", parts: {} };
  if (status >= 400 && status < 500) return { code: "malformed-request", parts: {} };
  return { code: "internal-error", parts: {} };
}

/** Answers every error with a problem. Tries that were not looked at are noted. */
export function answerProblems(
  app: FastifyInstance,
  publicUrl: string,
  refusals: Pick<RefusalJournal, "note">,
): void {
  app.setErrorHandler((error, request, reply) => {
    const problem = problemOf(error);
    const { refusedTry } = problem.parts;
    // Beside the reply: how long it takes tells nobody whether a name is known.
    if (refusedTry !== undefined) {
      const { kind: reason, accountId } = refusedTry;
      void refusals.note({ kind: "throttle.refused", reason, accountId }, visitOf(request));
    }
    if (problem.code === "internal-error") request.log.error({ err: error }, "internal error");
    if (problem.code === "storage-unavailable")
      request.log.warn({ err: error }, "the database cannot be reached, or cannot work");
    return sendProblem(request, reply, publicUrl, problem);
  });
}
