/**
 * A guarding front: stands before an application written in anything, signs its people in, keeps its closed paths, and tells it who is
 * there in headers that nobody from outside can set.
 */
import type { IncomingMessage, Server, ServerResponse } from "node:http";
import { Agent, createServer, ServerResponse as NodeResponse } from "node:http";
import type { Socket } from "node:net";
import { identityHeaders, isIdentityHeader } from "@lucchetto/contract";
import type { AccessRequirements, Answer, Hasp, HaspOptions, SignedInAccount } from "@lucchetto/hasp";
import type { ProxyServer } from "httpxy";
import { createProxyServer } from "httpxy";

export interface FrontOptions extends HaspOptions {
  /** Where the application is: `http://127.0.0.1:5000`, or the path of its socket. */
  readonly app: string | { readonly socketPath: string };
}

export interface Front {
  readonly server: Server;
  /** Ends it, with everything that is open. */
  stop(): void;
}

/** Milliseconds after which an unused connection to the application is given up: sooner than any server does, which would break it under a request. */
const IDLE = 1_000;

/** Cookies that are the front's own; the application never sees them. */
const OWN_COOKIE = /^(?:__Host-)?lucchetto-/;

/** Makes the front; the caller lets it listen. @throws HaspOptionsError. */
export async function createFront({ app, ...options }: FrontOptions): Promise<Front> {
  const { createHasp } = await import("@lucchetto/hasp");
  const hasp = createHasp(options);
  const { host, protocol } = new URL(options.returnAddress);
  const upgraded = new Set<Socket>();
  const hold = (socket: Socket): void => {
    upgraded.add(socket);
    socket.once("close", () => upgraded.delete(socket));
  };
  const fail = (response: ServerResponse, error: unknown): void => {
    options.warn?.(`The application gave no answer: ${(error as Error).message}`);
    answerAway(response);
  };
  // Nobody's waiting is cut short: what an application streams, or lets wait, is its own affair.
  const proxy = createProxyServer({
    target: typeof app === "string" ? app : { ...app, protocol: "http:" },
    agent: new Agent({ keepAlive: true, timeout: IDLE }),
  });
  proxy.on("error", (error, _request, response) => {
    if (response instanceof NodeResponse) fail(response, error);
    else response?.destroy();
  });
  // The other end of a WebSocket, at the application.
  proxy.on("open", hold);

  const server = createServer((request, response) => {
    take({ hasp, proxy, request, response, to: { host, protocol } }).catch((error: unknown) =>
      fail(response, error),
    );
  });
  server.on("upgrade", (request, socket: Socket, head) => {
    const response = new NodeResponse(request);
    response.assignSocket(socket);
    response.shouldKeepAlive = false;
    response.once("finish", () => socket.end());
    socket.once("error", () => socket.destroy());
    hold(socket);
    takeUpgrade({ hasp, proxy, request, response, to: { host, protocol } }, { socket, head }).catch(
      (error: unknown) => fail(response, error),
    );
  });
  // A stream stays open for as long as the application likes.
  server.requestTimeout = 0;
  return {
    server,
    stop() {
      server.close();
      server.closeAllConnections();
      // What became a WebSocket is none of the server's any more.
      for (const socket of upgraded) socket.destroy();
    },
  };
}

interface Passing {
  readonly hasp: Hasp;
  readonly proxy: ProxyServer;
  readonly request: IncomingMessage;
  readonly response: ServerResponse;
  /** How people reach the front. */
  readonly to: { readonly host: string; readonly protocol: string };
}

async function take(passing: Passing): Promise<void> {
  const { hasp, proxy, request, response } = passing;
  const visit = visitOf(request);
  if (hasp.isOwn(visit)) {
    if (await hasp.live(visit, () => response)) return;
    const answer = await hasp.own(visit);
    if (answer !== null) return send(response, answer);
  }
  const account = await admit(passing);
  if (account === undefined) return;
  dress(passing, account);
  if (hasp.guarded(visit).length > 0) response.setHeader("cache-control", "no-store");
  await proxy.web(request, response);
}

async function takeUpgrade(
  passing: Passing,
  { socket, head }: { socket: Socket; head: Buffer },
): Promise<void> {
  const { proxy, request, response } = passing;
  const account = await admit(passing);
  if (account === undefined) return;
  dress(passing, account);
  response.detachSocket(socket);
  await proxy.ws(request, socket, {}, head);
}

/** @returns who passes, `null` for a guest; `undefined` if the request was answered. */
async function admit({ hasp, request, response }: Passing): Promise<SignedInAccount | null | undefined> {
  const visit = visitOf(request);
  const guarded: readonly AccessRequirements[] = hasp.guarded(visit);
  if (guarded.length === 0) return hasp.open(visit);
  let account: SignedInAccount | null = null;
  for (const wanted of guarded) {
    const passage = await hasp.closed(visit, wanted);
    if ("answer" in passage) return send(response, passage.answer);
    ({ account } = passage);
  }
  return account;
}

/** Takes from the request what nobody from outside may say, and says who is there. */
function dress({ request, to }: Passing, account: SignedInAccount | null): void {
  const identity = identityHeaders(
    account && {
      account: account.id,
      reference: account.reference,
      provedEmail: account.emailVerified ? account.email : null,
      username: account.username,
      name: account.displayName,
      labels: account.labels,
      session: account.session?.id ?? null,
      level: account.session?.aal ?? 1,
    },
  );
  const cookies = (request.headers.cookie ?? "")
    .split(/;\s*/)
    .filter((one) => one !== "" && !OWN_COOKIE.test(one));
  const isTaken = (name: string, value: unknown): boolean =>
    isIdentityHeader(name) ||
    TAKEN.test(name) ||
    // Access keys, and people's own passwords, are for Lucchetto alone.
    (name === "authorization" && (account?.session === null || holdsAccessKey(String(value))));
  request.headers = {
    ...Object.fromEntries(Object.entries(request.headers).filter(([name, value]) => !isTaken(name, value))),
    ...identity,
    "x-forwarded-for": request.socket.remoteAddress ?? "",
    "x-forwarded-host": to.host,
    "x-forwarded-proto": to.protocol.slice(0, -1),
    // Nothing that somebody names here is dropped on the way.
    connection: connectionOf(request),
    ...(cookies.length === 0 ? {} : { cookie: cookies.join("; ") }),
  };
}

/** Whether the browser's connection is kept: what becomes a WebSocket says so. */
function connectionOf({ headers, httpVersion }: IncomingMessage): string {
  if (headers.upgrade !== undefined) return "Upgrade";
  return httpVersion === "1.0" || /\bclose\b/i.test(headers.connection ?? "") ? "close" : "keep-alive";
}

/** Headers that the front says itself, or that would have a program take a stranger's proxy for its own. */
const TAKEN = /^(?:cookie|connection|proxy|forwarded|x[-_](?:forwarded[-_].*|real[-_]ip))$/;

/** Whether an Authorization header holds an access key, known or not. */
function holdsAccessKey(authorization: string): boolean {
  const [, scheme = "", value = ""] = /^(bearer|basic) +(.*)$/i.exec(authorization) ?? [];
  const text = scheme.toLowerCase() === "basic" ? Buffer.from(value, "base64").toString("latin1") : value;
  return /(?:^|:)lca_/.test(text);
}

function visitOf({ method = "GET", url = "/", headers, socket }: IncomingMessage) {
  return { method, url, headers, address: socket.remoteAddress };
}

function send(response: ServerResponse, { status, headers, body }: Answer): undefined {
  response.writeHead(status, { ...headers });
  response.end(body);
}

/** The application is away. */
function answerAway(response: ServerResponse): void {
  if (response.headersSent) return void response.destroy();
  response.writeHead(502, { "content-type": "text/plain; charset=utf-8" });
  response.end("The application does not answer. Is it running? Try again in a moment.\n");
}
