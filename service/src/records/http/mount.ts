/** Mounts a call of the contract: its schemas check what comes in and shape what goes out. */
import type { FieldError, ReceivedOf, ReplyOf, Route } from "@lucchetto/contract";
import { fieldError, VERSION, VERSION_HEADER } from "@lucchetto/contract";
import type { FastifyInstance, FastifyReply, FastifyRequest } from "fastify";
import type { z } from "zod";
import { assertFromThisMachine } from "../../base/http/forwarded.ts";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import type { SignInRow } from "../../base/storage/index.ts";
import type { KeyedApp } from "../app/store.ts";
import type { LiveSession } from "../session/store.ts";

declare module "fastify" {
  interface FastifyInstance {
    /** Who calls: the living session of the own token that came, or `null`. */
    readCaller(request: FastifyRequest): Promise<LiveSession | null>;
    /** The sign-in in progress of the token that came, or `null`. */
    readSignIn(request: FastifyRequest): Promise<SignInRow | null>;
    /** The app whose key came along. @throws ProblemReply `app-unknown`. */
    readApp(request: FastifyRequest): Promise<KeyedApp>;
    /** @throws ProblemReply if this session may not call operators' routes, or not change anything now. */
    assertOperates(caller: LiveSession, what: { changes: boolean }): Promise<void>;
    /** @throws ProblemReply `foreign-origin`. */
    assertOwnOrigin(request: FastifyRequest): void;
  }
}

/** Where the caller must be known, it is. */
type CallerOf<R extends Route> = R["access"] extends "session" | "operator"
  ? LiveSession
  : R["access"] extends "enrolling"
    ? LiveSession | SignInRow
    : R["access"] extends "app"
      ? KeyedApp
      : null;

interface Exchange<R extends Route> {
  readonly request: FastifyRequest;
  readonly reply: FastifyReply;
  readonly caller: CallerOf<R>;
}

type Handler<R extends Route> = (received: ReceivedOf<R>, exchange: Exchange<R>) => Promise<ReplyOf<R>>;

/** A reply with its status as a literal, so that the compiler holds body and status against the contract. */
export function answer<const Status extends number, Body>(
  status: Status,
  body: Body,
): { status: Status; body: Body } {
  return { status, body };
}

/**
 * Mounts a route. The order of checks is fixed: who may call at all (origin, session, label), then the request's shape,
 * so that nobody learns anything about a call that is not theirs; where anybody may call, shape comes first.
 */
export function mount<const R extends Route>(
  app: FastifyInstance,
  route: R,
  handler: Handler<NoInfer<R>>,
): void {
  app.route({
    method: route.method,
    url: route.path,
    // Before the body is read: what is wrong with that is answered with it too.
    onRequest: (_request, reply, done) => {
      reply.header(VERSION_HEADER, VERSION);
      done();
    },
    handler: async (request, reply) => {
      const received = route.access === "anybody" ? receive(route, request) : null;
      app.assertOwnOrigin(request);
      const caller = await callerFor(app, route, request);
      const answered = await handler(received ?? receive(route, request), {
        request,
        reply,
        caller: caller as CallerOf<R>,
      });
      return send(route, reply, answered);
    },
  });
}

async function callerFor(
  app: FastifyInstance,
  route: Route,
  request: FastifyRequest,
): Promise<LiveSession | SignInRow | KeyedApp | null> {
  if (route.access === "development") assertFromThisMachine(request);
  if (route.access === "anybody" || route.access === "development") return null;
  if (route.access === "app") {
    const caller = await app.readApp(request);
    if (route.right !== undefined && !caller.rights.includes(route.right))
      throw new ProblemReply("right-missing");
    return caller;
  }
  const caller = await app.readCaller(request);
  if (caller === null) {
    const pending = route.access === "enrolling" ? await app.readSignIn(request) : null;
    if (pending === null) throw new ProblemReply("not-signed-in");
    return pending;
  }
  if (route.access === "operator") await app.assertOperates(caller, { changes: route.method !== "GET" });
  return caller;
}

function receive<R extends Route>(route: R, request: FastifyRequest): ReceivedOf<R> {
  const errors: FieldError[] = [];
  const check = (schema: z.ZodType | undefined, value: unknown): unknown => {
    if (schema === undefined) return undefined;
    const result = schema.safeParse(value);
    if (result.success) return result.data;
    errors.push(...result.error.issues.flatMap((issue) => describeIssue(issue, value)));
    return undefined;
  };
  // An id that is none names nothing: that is a missing thing, not a badly filled field.
  if (route.params !== undefined && !route.params.safeParse(request.params).success)
    throw new ProblemReply("not-found");
  const received = {
    params: check(route.params, request.params),
    query: check(route.query, request.query),
    body: check(route.body, request.body ?? undefined),
  };
  if (errors.length > 0) throw fieldProblem(errors);
  return received as ReceivedOf<R>;
}

/** An issue as faults of fields. What was sent is never repeated. */
function describeIssue(issue: z.core.$ZodIssue, received: unknown): FieldError[] {
  const path = issue.path.map(String).join(".");
  switch (issue.code) {
    case "unrecognized_keys":
      return issue.keys
        .slice(0, MAX_NAMED_KEYS)
        .map((key) =>
          fieldError(path === "" ? printable(key) : `${path}.${printable(key)}`, "unknown-field"),
        );
    case "invalid_type":
      if (valueAt(received, issue.path) === undefined) return [fieldError(path, "missing")];
      return [fieldError(path, "wrong-type", { expected: ARTICLES[issue.expected] ?? issue.expected })];
    case "invalid_union":
      return [fieldError(path, "unknown-kind")];
    case "invalid_value":
      return [fieldError(path, "not-one-of", { values: issue.values.map(String).join(", ") })];
    default:
      return [fieldError(path, "unacceptable", { reason: issue.message })];
  }
}

function valueAt(received: unknown, path: readonly PropertyKey[]): unknown {
  return path.reduce<unknown>(
    (value, key) =>
      typeof value === "object" && value !== null ? (value as Record<PropertyKey, unknown>)[key] : undefined,
    received,
  );
}

const MAX_NAMED_KEYS = 10;

const ARTICLES: Readonly<Record<string, string>> = {
  string: "text",
  object: "a JSON object",
  array: "a list",
  boolean: "true or false",
  number: "a number",
  int: "a whole number",
};

function printable(key: string): string {
  return key.slice(0, 60).replace(/[^\x20-\x7e]/g, "?");
}

function send<R extends Route>(route: R, reply: FastifyReply, answered: ReplyOf<R>): FastifyReply {
  // Every reply here tells something about a person or gives a secret away once: nothing of it is kept by caches.
  void reply.status(answered.status).header("cache-control", "no-store");
  if (answered.status === 204) return reply.send();
  const schema = route.replies[answered.status];
  if (schema === undefined)
    throw new Error(`${route.name} answered ${answered.status}, which the contract does not name`);
  return reply.type("application/json; charset=utf-8").send(JSON.stringify(schema.parse(answered.body)));
}
