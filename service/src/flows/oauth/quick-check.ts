/**
 * Fast path for token checks that bypasses Fastify: check tokens shown by their own app, one or many at once. Making the
 * framework's request takes as long as everything else together; whatever is not exactly such a check takes the usual
 * path, and so do all errors. `bench/session-check.mjs` and
 * `bench/behind-the-hasp.mjs` say what it is worth.
 */
import type { IncomingMessage, ServerResponse } from "node:http";
import { performance } from "node:perf_hooks";
import type { Introspection } from "@lucchetto/contract";
import {
  activeIntrospection,
  MAX_CHECKED_TOKENS,
  OAUTH_PATHS,
  routes,
  VERSION,
  VERSION_HEADER,
} from "@lucchetto/contract";
import type { HashedToken } from "@lucchetto/core";
import { hashToken, TOKEN_PREFIXES } from "@lucchetto/core";
import type { ObjectSchema } from "fast-json-stringify";
import fastJson from "fast-json-stringify";
import type { FastifyInstance } from "fastify";
import { z } from "zod";
import type { Drain } from "../../base/http/drain.ts";
import type { ProblemReply } from "../../base/problem.ts";
import { isStorageUnavailable } from "../../base/storage/index.ts";
import type { KeyedApp } from "../../records/app/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import { noteUseOf, recogniseApp } from "../../records/granting/recognise-app.ts";
import { BEHALF_HEADERS } from "../../records/http/delegation.ts";
import { problemBody, problemOf } from "../../records/http/problem.ts";
import type { Shortcut } from "../../records/http/server.ts";
import type { KeyedToken } from "../../records/oauth/store.ts";
import { findKeyedTokens, pairOf } from "../../records/oauth/store.ts";
import { readAppBasic } from "./client-authentication.ts";
import { introspect } from "./introspect.ts";

const STATUS_OK = 200;
/** Written as the contract has it, by a writer made for just that; twice as fast as one for everything. */
const writeActive = fastJson(z.toJSONSchema(activeIntrospection, { target: "draft-7" }) as ObjectSchema);
/** Authorization headers that are remembered as read. */
const MAX_HEADERS = 1_000;

/** A way to ask. */
interface Question {
  readonly path: string;
  readonly media: RegExp;
  /** Headers of its answers, besides those of every reply. */
  readonly headers: Readonly<Record<string, string>>;
  /** Whether a body of so many bytes can be it. */
  fits(bytes: number): boolean;
  /** The tokens that are asked about; `null` for anything that has to be looked at more closely. */
  read(body: string): ReadonlyArray<HashedToken<"check-token">> | null;
  write(answers: readonly Introspection[]): string;
}

const FIELD = "token=";
const TOKEN_LENGTH = TOKEN_PREFIXES["check-token"].length + 43;
/** Of a body that asks about as many as it may, with some blanks. */
const MAX_CHECKS_BYTES = 100 + (TOKEN_LENGTH + 6) * MAX_CHECKED_TOKENS;

/** RFC 7662: one. */
const INTROSPECTION: Question = {
  path: OAUTH_PATHS.introspect,
  media: /^application\/x-www-form-urlencoded *(?:;|$)/i,
  headers: {},
  fits: (bytes) => bytes === FIELD.length + TOKEN_LENGTH,
  read(body) {
    const hashed = body.startsWith(FIELD) ? hashToken("check-token", body.slice(FIELD.length)) : null;
    return hashed === null ? null : [hashed];
  },
  write: ([answer]) => (answer === undefined ? "" : textOf(answer)),
};

/** Many at once. What is no JSON, or not as the contract has it, the usual way refuses in words. */
const CHECKS: Question = {
  path: routes.checkTokens.path,
  media: /^application\/json *(?:;|$)/i,
  // As every call of the contract has it (`records/http/mount.ts`).
  headers: { [VERSION_HEADER]: VERSION },
  fits: (bytes) => bytes <= MAX_CHECKS_BYTES,
  read(body) {
    const asked = routes.checkTokens.body.safeParse(jsonOf(body));
    const hashes = asked.data?.tokens.map((token) => hashToken("check-token", token));
    return hashes?.every((hash) => hash !== null) === true ? hashes : null;
  },
  write: (answers) => `{"items":[${answers.map(textOf).join(",")}]}`,
};

/** `undefined` for what is none. */
function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    // The usual way says what is wrong with it.
    return undefined;
  }
}

function textOf(answer: Introspection): string {
  return answer.active ? writeActive(answer) : JSON.stringify(answer);
}

/** What this way shares with the usual one. */
interface QuickCheckParts {
  /** The path of the public address. */
  readonly basePath: string;
  /** Headers of every reply, by lower-case name. */
  readonly headers: Readonly<Record<string, string>>;
  readonly drain: Drain;
  readonly idOf: (request: IncomingMessage) => string;
  /** Moves the clock on where it can be moved; `null` where it cannot. */
  readonly refreshClock: (() => Promise<void>) | null;
  /** Told of each answer, for log and metrics. */
  readonly answered: (answer: {
    method: string;
    route: string;
    status: number;
    seconds: number;
    requestId: string;
  }) => void;
}

/** Makes the shortcut that takes such questions. */
export function createQuickCheck(
  app: FastifyInstance,
  context: ServiceContext,
  parts: QuickCheckParts,
): Shortcut {
  /** Whether a key still counts is asked with every token. */
  const known = new Map<string, KeyedApp>();
  const headers: readonly string[] = [
    ...Object.entries(parts.headers).flat(),
    ...["content-type", "application/json; charset=utf-8"],
    ...["cache-control", "no-store"],
    ...["pragma", "no-cache"],
  ];

  /** Whoever asks notices so that it should ask elsewhere. */
  const closing = (): readonly string[] => (parts.drain.isOn ? ["connection", "close"] : []);

  const questions = new Map([INTROSPECTION, CHECKS].map((one) => [parts.basePath + one.path, one]));

  function questionOf({ method, url = "", headers: given }: IncomingMessage): Question | null {
    const question = method === "POST" ? questions.get(url) : undefined;
    if (question === undefined) return null;
    const isPlain =
      question.media.test(given["content-type"] ?? "") &&
      question.fits(Number(given["content-length"] ?? Number.NaN)) &&
      given["content-encoding"] === undefined &&
      given.authorization !== undefined &&
      given.cookie === undefined &&
      given[BEHALF_HEADERS.appKey] === undefined;
    return isPlain ? question : null;
  }

  /** @returns `null` where it is for the usual way to say what is wrong. */
  async function answer(
    question: Question,
    authorization: string,
    body: string,
  ): Promise<Introspection[] | null> {
    const hashes = question.read(body);
    const asking = hashes === null ? null : (known.get(authorization) ?? (await recognise(authorization)));
    if (hashes === null || asking === null) return null;
    await parts.refreshClock?.();
    const found = await lookUp(hashes, asking.keyHash);
    // None found: the tokens are nothing to this app, or the app's key was retired meanwhile.
    if (!found.some(Boolean) && (await context.lookUps.appKey(asking.keyHash)) === null) {
      known.delete(authorization);
      return null;
    }
    noteUseOf(context, asking);
    return found.map((one) => introspect(context, one, asking));
  }

  /** In the same order. What came together is asked together; single ones join others. */
  async function lookUp(
    hashes: ReadonlyArray<HashedToken<"check-token">>,
    keyHash: Buffer,
  ): Promise<Array<KeyedToken | null>> {
    const pairs = hashes.map((hash) => pairOf(hash, keyHash));
    const [only] = pairs;
    if (only !== undefined && pairs.length === 1) return [await context.lookUps.keyedToken(only)];
    const rows = await findKeyedTokens(context.dataSource, pairs);
    const byHash = new Map(rows.map((row) => [row.checkHash.toString("latin1"), row]));
    return hashes.map((hash) => byHash.get(hash.toString("latin1")) ?? null);
  }

  /** An app sends the same header with every question, and what a key stands for never changes: that is worked out once. */
  async function recognise(authorization: string): Promise<KeyedApp | null> {
    const credentials = readAppBasic(authorization);
    const asking = credentials === null ? null : await recogniseApp(context, credentials);
    if (asking === null) return null;
    if (known.size >= MAX_HEADERS) known.clear();
    known.set(authorization, asking);
    return asking;
  }

  async function serve(
    question: Question,
    request: IncomingMessage,
    response: ServerResponse,
    body: string,
  ): Promise<void> {
    const began = performance.now();
    let found: Introspection[] | null;
    try {
      found = await answer(question, request.headers.authorization ?? "", body);
    } catch (error) {
      // Asked once more, a database that is away would only be waited for once more.
      if (isStorageUnavailable(error)) return refuse(question, request, response, problemOf(error));
      // The usual way meets the same error, and says it as it should be said.
      found = null;
    }
    if (found === null) return usualWay(request, response, body);
    const text = question.write(found);
    const requestId = parts.idOf(request);
    const length = String(Buffer.byteLength(text));
    response.writeHead(
      STATUS_OK,
      headers.concat(
        ...Object.entries(question.headers),
        "x-request-id",
        requestId,
        "content-length",
        length,
        ...closing(),
      ),
    );
    response.end(text);
    const seconds = (performance.now() - began) / 1_000;
    const route = parts.basePath + question.path;
    parts.answered({ method: "POST", route, status: STATUS_OK, seconds, requestId });
  }

  function refuse(
    question: Question,
    request: IncomingMessage,
    response: ServerResponse,
    { code, parts: said }: Pick<ProblemReply, "code" | "parts">,
  ): void {
    const requestId = parts.idOf(request);
    const { publicUrl } = context.configuration;
    const body = problemBody(code, { publicUrl, requestId, parts: said });
    if (said.retryAfter !== undefined) response.setHeader("retry-after", said.retryAfter);
    const type = { "content-type": "application/problem+json", "cache-control": "no-store" };
    response.writeHead(body.status, {
      ...parts.headers,
      ...question.headers,
      ...type,
      "x-request-id": requestId,
    });
    response.end(JSON.stringify(body));
  }

  /** The body is read already, so the request is handed over as a whole. */
  async function usualWay(request: IncomingMessage, response: ServerResponse, body: string): Promise<void> {
    const { url = "", socket } = request;
    const remoteAddress = socket.remoteAddress ?? "";
    const reply = await app.inject({
      method: "POST",
      url,
      headers: request.headers,
      payload: Buffer.from(body, "latin1"),
      remoteAddress,
    });
    const { connection: _connection, ...kept } = reply.headers;
    response.writeHead(reply.statusCode, parts.drain.isOn ? { ...kept, connection: "close" } : kept);
    response.end(reply.rawPayload);
  }

  return (request, response) => {
    const question = questionOf(request);
    if (question === null) return false;
    let body = "";
    request.on("data", (chunk: Buffer) => (body += chunk.toString("latin1")));
    request.on("end", () => {
      serve(question, request, response, body).catch((error: unknown) => {
        app.log.error({ err: error }, "a check could not be answered");
        response.destroy();
      });
    });
    return true;
  };
}
