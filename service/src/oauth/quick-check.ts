/**
 * The shortest way for the one question that every request of every application asks: a check token, shown by its own
 * app. It answers before the framework has a request of its own, which takes as long as everything else together; what
 * is not exactly that question goes the usual way, and so do all errors. `bench/session-check.mjs` says what it is worth.
 */
import type { IncomingMessage, ServerResponse } from "node:http";
import { performance } from "node:perf_hooks";
import type { Introspection } from "@lucchetto/contract";
import { activeIntrospection } from "@lucchetto/contract";
import { hashToken, TOKEN_PREFIXES } from "@lucchetto/core";
import type { ObjectSchema } from "fast-json-stringify";
import fastJson from "fast-json-stringify";
import type { FastifyInstance } from "fastify";
import { z } from "zod";
import { noteUseOf, recogniseApp } from "../app/app.ts";
import type { KeyedApp } from "../app/store.ts";
import type { ServiceContext } from "../context.ts";
import { BEHALF_HEADERS } from "../http/on-behalf.ts";
import type { Shortcut } from "../server.ts";
import { readAppBasic } from "./client-authentication.ts";
import { introspect } from "./introspect.ts";
import { pairOf } from "./store.ts";

const FORM = /^application\/x-www-form-urlencoded *(?:;|$)/i;
const FIELD = "token=";
/** The field and a check token. */
const BODY_LENGTH = String(FIELD.length + TOKEN_PREFIXES["check-token"].length + 43);
const STATUS_OK = 200;
/** Written as the contract has it, by a writer made for just that; twice as fast as one for everything. */
const writeActive = fastJson(z.toJSONSchema(activeIntrospection, { target: "draft-7" }) as ObjectSchema);
/** Authorization headers that are remembered as read. */
const MOST_HEADERS = 1_000;
/** Of the headers of every reply those that say something to a program; the others are about pages. */
const FOR_PROGRAMS: ReadonlySet<string> = new Set(["strict-transport-security", "x-content-type-options"]);

/** What this way shares with the usual one. */
export interface QuickCheckParts {
  /** The endpoint's path, with that of the public address. */
  readonly path: string;
  /** Headers of every reply, by lower-case name. */
  readonly headers: Readonly<Record<string, string>>;
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
  let isClosing = false;
  app.addHook("preClose", async () => {
    isClosing = true;
  });

  const headers: readonly string[] = [
    ...Object.entries(parts.headers)
      .filter(([name]) => FOR_PROGRAMS.has(name))
      .flat(),
    ...["content-type", "application/json; charset=utf-8"],
    ...["cache-control", "no-store"],
    ...["pragma", "no-cache"],
  ];

  function isQuick({ method, url, headers: given }: IncomingMessage): boolean {
    return (
      method === "POST" &&
      url === parts.path &&
      given["content-length"] === BODY_LENGTH &&
      FORM.test(given["content-type"] ?? "") &&
      given.authorization !== undefined &&
      given[BEHALF_HEADERS.appKey] === undefined &&
      !isClosing
    );
  }

  /** @returns `null` where it is for the usual way to say what is wrong. */
  async function answer(authorization: string, body: string): Promise<Introspection | null> {
    const tokenHash = body.startsWith(FIELD) ? hashToken("check-token", body.slice(FIELD.length)) : null;
    const asking = tokenHash === null ? null : (known.get(authorization) ?? (await recognise(authorization)));
    if (tokenHash === null || asking === null) return null;
    await parts.refreshClock?.();
    const found = await context.lookUps.keyedToken(pairOf(tokenHash, asking.keyHash));
    // Not found: the token is nothing to this app, or the app's key was retired meanwhile.
    if (found === null && (await context.lookUps.appKey(asking.keyHash)) === null) {
      known.delete(authorization);
      return null;
    }
    noteUseOf(context, asking);
    return introspect(context, found, asking);
  }

  /** An app sends the same header with every question, and what a key stands for never changes: that is worked out once. */
  async function recognise(authorization: string): Promise<KeyedApp | null> {
    const credentials = readAppBasic(authorization);
    const asking = credentials === null ? null : await recogniseApp(context, credentials);
    if (asking === null) return null;
    if (known.size >= MOST_HEADERS) known.clear();
    known.set(authorization, asking);
    return asking;
  }

  async function serve(request: IncomingMessage, response: ServerResponse, body: string): Promise<void> {
    const began = performance.now();
    let found: Introspection | null;
    try {
      found = await answer(request.headers.authorization ?? "", body);
    } catch {
      // The usual way meets the same error, and says it as it should be said.
      found = null;
    }
    if (found === null) return usualWay(request, response, body);
    const text = found.active ? writeActive(found) : JSON.stringify(found);
    const requestId = parts.idOf(request);
    const length = String(Buffer.byteLength(text));
    response.writeHead(STATUS_OK, headers.concat("x-request-id", requestId, "content-length", length));
    response.end(text);
    const seconds = (performance.now() - began) / 1_000;
    parts.answered({ method: "POST", route: parts.path, status: STATUS_OK, seconds, requestId });
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
    response.writeHead(reply.statusCode, kept);
    response.end(reply.rawPayload);
  }

  return (request, response) => {
    if (!isQuick(request)) return false;
    let body = "";
    request.on("data", (chunk: Buffer) => (body += chunk.toString("latin1")));
    request.on("end", () => {
      serve(request, response, body).catch((error: unknown) => {
        app.log.error({ err: error }, "a check could not be answered");
        response.destroy();
      });
    });
    return true;
  };
}
