/** The HTTP server: its limits, its ids, and what it answers to what is not HTTP. */
import { randomUUID } from "node:crypto";
import type { IncomingMessage, Server, ServerResponse } from "node:http";
import { createServer } from "node:http";
import type { Socket } from "node:net";
import type { FastifyBaseLogger, FastifyInstance, FastifyReply } from "fastify";
import Fastify, { LogController } from "fastify";
import type { Configuration } from "../../base/config/index.ts";
import { BODY_LIMIT } from "../../base/http/body.ts";
import type { Drain } from "../../base/http/drain.ts";
import { readClientAddresses } from "../../base/http/forwarded.ts";
import { listedAmong } from "../../base/http/network.ts";
import { problemBody, problemOf, sendProblem } from "./problem.ts";

/** Milliseconds between looks at requests that take too long to arrive. */
const SLOW_REQUEST_CHECK = 500;

type Handler = (request: IncomingMessage, response: ServerResponse) => void;

/** Takes a request out of the framework's hands. @returns whether it did. */
export type Shortcut = (request: IncomingMessage, response: ServerResponse) => boolean;

interface ServerParts {
  readonly configuration: Pick<Configuration, "publicUrl" | "trustedProxies" | "forwardedHeader"> & {
    readonly listen: Pick<Configuration["listen"], "requestTimeout">;
  };
  /** Of every reply, by lower-case name. */
  readonly headers: Readonly<Record<string, string>>;
  readonly logger: FastifyBaseLogger;
  readonly idOf: (request: IncomingMessage) => string;
  readonly shortcut: Shortcut;
  readonly drain: Drain;
  /** Stands around the handling of each request. */
  readonly around?: RequestWrapper | undefined;
}

export type RequestWrapper = (request: IncomingMessage, response: ServerResponse, handle: () => void) => void;

/** Makes the framework's instance over a server that asks the shortcut first. */
export function createApp({
  configuration,
  headers,
  logger,
  idOf,
  shortcut,
  drain,
  around,
}: ServerParts): FastifyInstance {
  const { publicUrl, listen } = configuration;
  const app = Fastify({
    loggerInstance: logger,
    logController: new LogController({ disableRequestLogging: true, requestIdLogLabel: "requestId" }),
    bodyLimit: BODY_LIMIT,
    serverFactory: (handler) => createHttpServer(listen.requestTimeout, { handler, shortcut, drain, around }),
    exposeHeadRoutes: false,
    // After everything was answered (`base/http/drain.ts`).
    forceCloseConnections: true,
    return503OnClosing: false,
    routerOptions: { maxParamLength: 200 },
    genReqId: idOf,
    clientErrorHandler: refuseBrokenRequest(publicUrl, headers),
    // An address that cannot be decoded, or a part of it that is far too long.
    frameworkErrors: (error, request, reply) => {
      // It comes before any hook.
      void reply.headers(headers).header("x-request-id", request.id);
      return sendProblem(request, reply as unknown as FastifyReply, publicUrl, problemOf(error));
    },
  });
  app.addHook("onRequest", (request, reply, done) => {
    reply.headers(headers).header("x-request-id", request.id);
    done();
  });
  readClientAddresses(app, configuration);
  return app;
}

function createHttpServer(
  requestTimeout: number,
  {
    handler,
    shortcut,
    drain,
    around,
  }: { handler: Handler } & Pick<ServerParts, "shortcut" | "drain" | "around">,
): Server {
  const server = createServer(
    {
      connectionsCheckingInterval: SLOW_REQUEST_CHECK,
      // Node takes the longer of its two limits for the whole request, so both are given.
      headersTimeout: requestTimeout,
      requestTimeout,
      keepAliveTimeout: KEEP_ALIVE,
    },
    (request, response) => {
      if (!drain.begin(request, response)) return;
      response.on("timeout", destroyStalled);
      const handle = () => {
        if (!shortcut(request, response)) handler(request, response);
      };
      if (around === undefined) handle();
      else around(request, response, handle);
    },
  );
  server.timeout = STALLED_AFTER;
  return server;
}

/** Milliseconds that a connection may be idle. */
const KEEP_ALIVE = 72_000;
/** Milliseconds after which a client that takes nothing of its answer is cut off; streams say that they live more often. */
const STALLED_AFTER = 30_000;

/** Not while the answer is still being made, which may wait for a hash or for the database as long as is configured. */
function destroyStalled(this: ServerResponse, socket: Socket): void {
  if (this.headersSent) socket.destroy();
}

/** Ids of a trusted proxy's own making are kept, where they are plain; everybody else gets a new one. */
export function requestIds(trustedProxies: readonly string[]): (request: IncomingMessage) => string {
  if (trustedProxies.length === 0) return () => randomUUID();
  return ({ headers, socket }) => {
    const given = headers["x-request-id"];
    const isPlain = typeof given === "string" && /^[A-Za-z0-9._-]{8,60}$/.test(given);
    return isPlain && listedAmong(trustedProxies, socket.remoteAddress ?? "") ? given : randomUUID();
  };
}

/** What is not HTTP at all never reaches a route; it still gets a problem. */
function refuseBrokenRequest(publicUrl: string, headers: Readonly<Record<string, string>>) {
  const always = Object.entries(headers)
    .map(([name, value]) => `${name}: ${value}\r\n`)
    .join("");
  return (error: NodeJS.ErrnoException, socket: Socket): void => {
    if (error.code === "ECONNRESET" || !socket.writable) return;
    const code =
      error.code === "HPE_HEADER_OVERFLOW"
        ? "headers-too-large"
        : error.code === "ERR_HTTP_REQUEST_TIMEOUT"
          ? "request-timeout"
          : "malformed-request";
    const requestId = randomUUID();
    const body = problemBody(code, { publicUrl, requestId });
    const text = JSON.stringify(body);
    socket.end(
      `HTTP/1.1 ${body.status} ${body.title}\r\n${always}x-request-id: ${requestId}\r\nContent-Type: application/problem+json\r\nCache-Control: no-store\r\nContent-Length: ${Buffer.byteLength(text)}\r\nConnection: close\r\n\r\n${text}`,
    );
  };
}
