/** Puts the service together: shared context, guards of every request, and the rooms' routes. */
import { randomBytes, randomUUID } from "node:crypto";
import type { IncomingMessage } from "node:http";
import type { Socket } from "node:net";
import type { FastifyHelmetOptions } from "@fastify/helmet";
import helmet from "@fastify/helmet";
import { OAUTH_PATHS } from "@lucchetto/contract";
import { deriveKey, KEY_BYTES } from "@lucchetto/core";
import type { FastifyBaseLogger, FastifyInstance, FastifyReply, FastifyRequest } from "fastify";
import Fastify, { LogController } from "fastify";
import type { DataSource } from "typeorm";
import { accessKeyRoutes } from "./access-key/routes.ts";
import { findAccessKeys } from "./access-key/store.ts";
import { sweepRegistrations } from "./account/registration-store.ts";
import { accountRoutes } from "./account/routes.ts";
import { countQuestions } from "./app/questions.ts";
import { appRoutes } from "./app/routes.ts";
import { findByClientIds, findByKeys, sweepQuestions } from "./app/store.ts";
import type { Clock, MovableClock } from "./clock/clock.ts";
import { clockRoutes } from "./clock/routes.ts";
import type { Configuration } from "./config/index.ts";
import type { ServiceContext } from "./context.ts";
import { collectMetrics } from "./health/metrics.ts";
import { healthRoutes } from "./health/routes.ts";
import { basePathOf } from "./http/address.ts";
import { acceptJson, BODY_LIMIT } from "./http/body.ts";
import { hostCookie } from "./http/host-cookie.ts";
import { refuseUnknown, rememberMethods } from "./http/methods.ts";
import { listedAmong } from "./http/network.ts";
import { readBehalf } from "./http/on-behalf.ts";
import { describeApi } from "./description/openapi.ts";
import { assertOwnOrigin } from "./http/own-origin.ts";
import { answerProblems, problemBody, problemOf, sendProblem } from "./http/problem.ts";
import { journalRoutes } from "./journal/routes.ts";
import { startSending } from "./mail/outbox.ts";
import { mailRoutes } from "./mail/routes.ts";
import { sweepMails } from "./mail/store.ts";
import { mailLinkRoutes } from "./mail-link/routes.ts";
import { sweepLinks } from "./mail-link/store.ts";
import { readApp } from "./oauth/client-authentication.ts";
import { takeQuickChecks } from "./oauth/quick-check.ts";
import { metadataRoute, oauthRoutes } from "./oauth/routes.ts";
import { findCheckTokens, findKeyedTokens, pairOf, sweepCodes } from "./oauth/store.ts";
import { pageRoutes } from "./pages/routes.ts";
import { createPageShell, wantsHtml } from "./pages/shell.ts";
import { openCompromisedList } from "./password/compromised.ts";
import type { FleetCounter } from "./password/fleet.ts";
import { createFleetCounter } from "./password/fleet.ts";
import { createHashing } from "./password/hashing.ts";
import { passwordRoutes } from "./password/routes.ts";
import { proxyCheckRoutes } from "./proxy-check/routes.ts";
import { secondFactorRoutes } from "./second-factor/routes.ts";
import { sweepEnrolments } from "./second-factor/store.ts";
import { createLastSeen } from "./session/last-seen.ts";
import { sessionRoutes } from "./session/routes.ts";
import { recogniseOwnToken } from "./session/session.ts";
import type { LiveSession } from "./session/store.ts";
import { findByTokens, sweepSessions } from "./session/store.ts";
import { signInRoutes } from "./sign-in/routes.ts";
import { sweepSignIns } from "./sign-in/store.ts";
import { siteRoutes } from "./site.ts";
import { joinLookUps } from "./storage/index.ts";
import { throttleRoutes } from "./throttle/routes.ts";
import { sweepOldCounts } from "./throttle/throttle.ts";
import { createConsult } from "./webhook/consult.ts";
import { startDelivering } from "./webhook/deliver.ts";
import { noticeSubscriber } from "./webhook/notices.ts";
import { webhookRoutes } from "./webhook/routes.ts";
import { sweepSettled } from "./webhook/store.ts";

/** Milliseconds between looks at requests that take too long to arrive. */
const SLOW_REQUEST_CHECK = 500;
const HSTS_SECONDS = 2 * 365 * 24 * 3_600;
/** Milliseconds between sweeps and counts; and how long those are kept for the sake of reuse being noticed. */
const SWEEP_INTERVAL = 60_000;
const CODES_KEPT = 24 * 3_600_000;
/** How long notices that arrived can be looked at. */
const DELIVERED_KEPT = 7 * 24 * 3_600_000;
const GIVEN_UP_KEPT = 30 * 24 * 3_600_000;
const QUESTIONS_KEPT = 31 * 24 * 3_600_000;
const MAILS_KEPT = 30 * 24 * 3_600_000;

export interface ServiceParts {
  readonly configuration: Configuration;
  /** Connected, on the schema that this service knows. */
  readonly dataSource: DataSource;
  readonly clock: Clock | MovableClock;
  readonly logger: FastifyBaseLogger;
}

/** Makes the service. The caller lets it listen, and closes it; the data source stays the caller's. */
export async function createService({
  configuration,
  dataSource,
  clock,
  logger,
}: ServiceParts): Promise<FastifyInstance> {
  const { publicUrl, mode, trustedProxies, passwords, sessions, site } = configuration;
  const idOf = requestIds(trustedProxies);
  const app = Fastify({
    loggerInstance: logger,
    logController: new LogController({ disableRequestLogging: true, requestIdLogLabel: "requestId" }),
    bodyLimit: BODY_LIMIT,
    requestTimeout: configuration.listen.requestTimeout,
    // Node takes the longer of its two limits for the whole request, so both are given.
    http: {
      connectionsCheckingInterval: SLOW_REQUEST_CHECK,
      headersTimeout: configuration.listen.requestTimeout,
      requestTimeout: configuration.listen.requestTimeout,
    },
    connectionTimeout: 0,
    trustProxy: trustedProxies.length === 0 ? false : [...trustedProxies],
    exposeHeadRoutes: false,
    forceCloseConnections: true,
    routerOptions: { maxParamLength: 200 },
    genReqId: idOf,
    clientErrorHandler: refuseBrokenRequest(publicUrl),
    // An address that cannot be decoded, or a part of it that is far too long.
    frameworkErrors: (error, request, reply) =>
      sendProblem(request, reply as unknown as FastifyReply, publicUrl, problemOf(error)),
  });
  const context: ServiceContext = {
    configuration,
    dataSource,
    clock,
    hashing: await createHashing(configuration),
    compromised:
      passwords.compromisedList === undefined ? null : await openCompromisedList(passwords.compromisedList),
    consult: createConsult(configuration, clock, app.log),
    lookUps: {
      checkToken: joinLookUps(
        (hashes) => findCheckTokens(dataSource, hashes),
        ({ checkHash }) => checkHash,
      ),
      keyedToken: joinLookUps(
        (pairs) => findKeyedTokens(dataSource, pairs),
        ({ checkHash, keyHash }) => pairOf(checkHash, keyHash),
      ),
      ownToken: joinLookUps(
        (hashes) => findByTokens(dataSource, hashes),
        ({ session }) => session.tokenHash,
      ),
      proxiedApp: joinLookUps(
        (clientIds) => findByClientIds(dataSource, clientIds),
        ({ clientId }) => Buffer.from(clientId),
      ),
      accessKey: joinLookUps(
        (hashes) => findAccessKeys(dataSource, hashes),
        ({ keyHash }) => keyHash,
      ),
      appKey: joinLookUps(
        (hashes) => findByKeys(dataSource, hashes),
        ({ keyHash }) => keyHash,
      ),
    },
    lastSeen: createLastSeen(dataSource, sessions, app.log),
    questions: countQuestions(dataSource, clock, app.log),
    ownCookie: hostCookie(publicUrl, "own"),
    deviceCookie: hostCookie(publicUrl, "device"),
    signInCookie: hostCookie(publicUrl, "sign-in"),
    proxyCookie: hostCookie(publicUrl, "proxy"),
    ...keysOf(configuration),
  };
  const { scheme, millisecondsPerHash } = context.hashing;
  app.log.info({ scheme: scheme.text, millisecondsPerHash }, "password hashing measured");
  const shell = createPageShell(configuration);
  const basePath = basePathOf(publicUrl);

  const methodsOf = rememberMethods(app);
  acceptJson(app);
  answerProblems(app, publicUrl);
  const headers = await guard(app, publicUrl);
  readBehalf(app, context);
  const logAnswer = logRequests(app, configuration.log.level);
  const metrics = collectMetrics(app, context.hashing);
  const fleet = createFleetCounter(context);
  if ("refresh" in clock) followMovedClock(app, clock, fleet);

  app.decorate("readCaller", (request: FastifyRequest) => readCaller(context, request));
  app.decorate("readApp", (request: FastifyRequest) => readApp(context, request));
  app.decorate("assertOwnOrigin", (request: FastifyRequest) => {
    assertOwnOrigin(request, publicUrl, [context.ownCookie, context.signInCookie]);
  });
  app.setNotFoundHandler((request, reply) => {
    const isPage = wantsHtml(request) && !/^\/(v1|oauth)\//.test(request.url.slice(basePath.length));
    if (isPage && methodsOf(request.url.split("?", 1)[0] ?? "").length === 0) {
      return shell.sendProblem(request, reply, "not-found");
    }
    return refuseUnknown(methodsOf, request, reply);
  });

  await app.register(
    async (own) => {
      await own.register(healthRoutes(context, metrics.registry));
      await own.register(accountRoutes(context));
      await own.register(signInRoutes(context));
      await own.register(passwordRoutes(context));
      await own.register(accessKeyRoutes(context));
      await own.register(secondFactorRoutes(context));
      await own.register(sessionRoutes(context));
      await own.register(journalRoutes(context));
      await own.register(appRoutes(context));
      await own.register(throttleRoutes(context));
      await own.register(webhookRoutes(context));
      await own.register(mailRoutes(context));
      await own.register(mailLinkRoutes(context));
      await own.register(oauthRoutes(context, shell));
      await own.register(proxyCheckRoutes(context, shell));
      await own.register(siteRoutes(configuration));
      await own.register(pageRoutes(context, shell));
      if ("refresh" in clock) await own.register(clockRoutes(clock));
      let description: ReturnType<typeof describeApi> | undefined;
      own.get("/openapi.json", async () => {
        description ??= describeApi({
          publicUrl,
          siteName: site.name,
          development: mode === "development",
        });
        return description;
      });
    },
    { prefix: basePath },
  );
  await app.register(metadataRoute(publicUrl, OAUTH_PATHS.metadata));
  // RFC 8414 section 3: for an issuer with a path, the well-known part comes before it.
  if (basePath !== "") await app.register(metadataRoute(publicUrl, OAUTH_PATHS.metadata + basePath));

  takeQuickChecks(app, context, {
    path: basePath + OAUTH_PATHS.introspect,
    headers,
    idOf,
    refreshClock: "refresh" in clock ? () => clock.refresh() : null,
    answered(answer) {
      metrics.checked(answer.seconds);
      logAnswer(answer);
    },
  });
  workRegularly(app, context, fleet);
  if (configuration.webhooks.notify.url !== undefined && !dataSource.subscribers.includes(noticeSubscriber))
    dataSource.subscribers.push(noticeSubscriber);
  const deliverer = startDelivering(context, app.log);
  const outbox = startSending(context, app.log);
  app.addHook("onClose", async () => {
    await Promise.all([deliverer.close(), outbox.close()]);
    await Promise.all([context.lastSeen.close(), context.questions.close()]);
    await context.compromised?.close();
  });
  return app;
}

/** Ids of a trusted proxy's own making are kept, where they are plain; everybody else gets a new one. */
function requestIds(trustedProxies: readonly string[]): (request: IncomingMessage) => string {
  if (trustedProxies.length === 0) return () => randomUUID();
  return ({ headers, socket }) => {
    const given = headers["x-request-id"];
    const isPlain = typeof given === "string" && /^[A-Za-z0-9._-]{8,60}$/.test(given);
    return isPlain && listedAmong(trustedProxies, socket.remoteAddress ?? "") ? given : randomUUID();
  };
}

/** Headers of every reply. They are the same for all, so they are made once. @returns them. */
async function guard(app: FastifyInstance, publicUrl: string): Promise<Record<string, string>> {
  const headers = await headersOf({
    // Pages bring a policy of their own; everything else is data and may load nothing.
    contentSecurityPolicy: {
      useDefaults: false,
      directives: { defaultSrc: ["'none'"], frameAncestors: ["'none'"] },
    },
    referrerPolicy: { policy: "no-referrer" },
    strictTransportSecurity: publicUrl.startsWith("https:") ? { maxAge: HSTS_SECONDS } : false,
    frameguard: { action: "deny" },
    crossOriginResourcePolicy: { policy: "same-origin" },
  });
  app.addHook("onRequest", (request, reply, done) => {
    reply.headers(headers).header("x-request-id", request.id);
    done();
  });
  return headers;
}

/** What helmet would set on a reply: asked once, of an application of its own. */
async function headersOf(options: FastifyHelmetOptions): Promise<Record<string, string>> {
  const sample = Fastify();
  await sample.register(helmet, options);
  sample.get("/", async (_request, reply) => reply.send());
  const { headers } = await sample.inject("/");
  await sample.close();
  const own = new Set(["connection", "content-length", "date", "keep-alive"]);
  const entries = Object.entries(headers).filter(([name, value]) => !own.has(name) && value !== undefined);
  return Object.fromEntries(entries.map(([name, value]) => [name, String(value)]));
}

/** An answer for the log: never its query, its headers or its body. */
interface LoggedAnswer {
  readonly method: string;
  /** The route's pattern: an address that met no route may hold anything, a token too. */
  readonly route: string;
  readonly status: number;
  readonly seconds: number;
}

/** One line a request. @returns writes one for an answer that was given outside the framework. */
function logRequests(
  app: FastifyInstance,
  level: Configuration["log"]["level"],
): (answer: LoggedAnswer & { readonly requestId: string }) => void {
  if (level !== "debug" && level !== "info") return () => undefined;
  const say = (log: FastifyBaseLogger, { method, route: path, status, seconds }: LoggedAnswer, more = {}) =>
    log.info({ ...more, method, path, status, milliseconds: Math.round(seconds * 1_000) }, "answered");
  app.addHook("onResponse", ({ log, method, routeOptions }, { statusCode: status, elapsedTime }, done) => {
    say(log, { method, route: routeOptions.url ?? "(no route)", status, seconds: elapsedTime / 1_000 });
    done();
  });
  return (answer) => say(app.log, answer, { requestId: answer.requestId });
}

/** Development only: every request is answered by the stored clock, whichever instance moved it. */
function followMovedClock(app: FastifyInstance, clock: MovableClock, fleet: FleetCounter): void {
  app.addHook("onRequest", async (request) => {
    try {
      await clock.refresh();
      // A clock that leaps over midnight would leap over the day's count as well.
      await fleet.keep();
    } catch (error) {
      // The request itself will say that the database is away.
      request.log.debug({ err: error }, "the moved clock could not be read");
    }
  });
}

/** The living session of the own token that came: in the Authorization header of programs, else in the cookie. */
async function readCaller(context: ServiceContext, request: FastifyRequest): Promise<LiveSession | null> {
  const { authorization, cookie } = request.headers;
  if (authorization === undefined) {
    const token = context.ownCookie.read(cookie);
    return token === undefined ? null : recogniseOwnToken(context, token, null);
  }
  const match = /^Bearer +([A-Za-z0-9_-]+)$/i.exec(authorization);
  return match === null ? null : recogniseOwnToken(context, match[1] ?? "", request.behalf?.appId ?? null);
}

/** From the ring; without one (development) from a key for this process alone. */
function keysOf({
  keyRing,
}: Configuration): Pick<ServiceContext, "sealingKeys" | "throttleKey" | "mailCodeKey"> {
  const ring = keyRing ?? { current: "process", keys: new Map([["process", randomBytes(KEY_BYTES)]]) };
  const current = ring.keys.get(ring.current) ?? randomBytes(KEY_BYTES);
  return {
    sealingKeys: ring,
    throttleKey: deriveKey(current, "throttle"),
    mailCodeKey: deriveKey(current, "mail-code"),
  };
}

function workRegularly(app: FastifyInstance, context: ServiceContext, fleet: FleetCounter): void {
  const { dataSource, clock } = context;
  const { sessions } = context.configuration;
  const timer = setInterval(() => {
    const done = [
      fleet.keep(),
      sweepCodes(dataSource, new Date(clock.now().getTime() - CODES_KEPT)),
      sweepOldCounts(context),
      sweepLinks(dataSource, new Date(clock.now().getTime() - CODES_KEPT)),
      sweepSettled(dataSource, "delivered", new Date(clock.now().getTime() - DELIVERED_KEPT)),
      sweepSettled(dataSource, "given-up", new Date(clock.now().getTime() - GIVEN_UP_KEPT)),
      sweepMails(dataSource, new Date(clock.now().getTime() - MAILS_KEPT)),
      sweepRegistrations(dataSource, new Date(clock.now().getTime() - CODES_KEPT)),
      sweepSignIns(dataSource, new Date(clock.now().getTime() - CODES_KEPT)),
      sweepQuestions(dataSource, new Date(clock.now().getTime() - QUESTIONS_KEPT)),
      sweepEnrolments(dataSource, new Date(clock.now().getTime() - CODES_KEPT)),
      sweepSessions(dataSource, new Date(clock.now().getTime() - sessions.keepEnded)),
    ];
    Promise.all(done).catch((error: unknown) => {
      app.log.warn({ err: error }, "the regular work could not be done");
    });
  }, SWEEP_INTERVAL);
  timer.unref();
  app.addHook("onClose", async () => {
    clearInterval(timer);
  });
}

/** What is not HTTP at all never reaches a route; it still gets a problem. */
function refuseBrokenRequest(publicUrl: string) {
  return (error: NodeJS.ErrnoException, socket: Socket): void => {
    if (error.code === "ECONNRESET" || !socket.writable) return;
    const code =
      error.code === "HPE_HEADER_OVERFLOW"
        ? "headers-too-large"
        : error.code === "ERR_HTTP_REQUEST_TIMEOUT"
          ? "request-timeout"
          : "malformed-request";
    const body = problemBody(code, { publicUrl, requestId: randomUUID() });
    const text = JSON.stringify(body);
    socket.end(
      `HTTP/1.1 ${body.status} ${body.title}\r\nContent-Type: application/problem+json\r\nCache-Control: no-store\r\nContent-Length: ${Buffer.byteLength(text)}\r\nConnection: close\r\n\r\n${text}`,
    );
  };
}
