/** Puts the service together: server, context, background, routes. It knows no capability by name but in one list. */
import { OAUTH_PATHS } from "@lucchetto/contract";
import type { FastifyInstance, FastifyRequest } from "fastify";
import { accessKeys } from "./access-key/index.ts";
import { accounts } from "./account/index.ts";
import { apps } from "./app/index.ts";
import { appAccounts } from "./app-account/index.ts";
import { startBackground } from "./background.ts";
import type { Capability, Parts } from "./capability.ts";
import { followMovedClock } from "./clock/follow.ts";
import { movableClock } from "./clock/index.ts";
import type { ServiceContext } from "./context.ts";
import { description } from "./description/index.ts";
import { health } from "./health/index.ts";
import { collectMetrics } from "./health/metrics.ts";
import { HEALTH_PATHS } from "./health/routes.ts";
import { basePathOf } from "./http/address.ts";
import { acceptJson } from "./http/body.ts";
import { Drain, drainBeforeClose } from "./http/drain.ts";
import { logRequests } from "./http/log.ts";
import { refuseUnknown, rememberMethods } from "./http/methods.ts";
import { readBehalf } from "./http/on-behalf.ts";
import { hostOf, isLocal, readOwnHosts } from "./http/own-host.ts";
import { assertOwnOrigin } from "./http/own-origin.ts";
import { answerProblems } from "./http/problem.ts";
import { makeReplyHeaders } from "./http/reply-headers.ts";
import { intakes } from "./intake/index.ts";
import { journal } from "./journal/index.ts";
import { lookInside } from "./look-inside.ts";
import { mail } from "./mail/index.ts";
import { mailLinks } from "./mail-link/index.ts";
import type { ServiceParts } from "./make-context.ts";
import { makeContext } from "./make-context.ts";
import { readApp } from "./oauth/client-authentication.ts";
import { oauth } from "./oauth/index.ts";
import { createQuickCheck } from "./oauth/quick-check.ts";
import { metadataRoute } from "./oauth/routes.ts";
import { assertOperates } from "./operator/guard.ts";
import { pages } from "./pages/index.ts";
import type { PageShell } from "./pages/shell.ts";
import { createPageShell, wantsHtml } from "./pages/shell.ts";
import { passkeys } from "./passkey/index.ts";
import { relatedOriginsRoute } from "./passkey/routes.ts";
import { passwords } from "./password/index.ts";
import { ProblemReply } from "./problem.ts";
import { proxyCheck } from "./proxy-check/index.ts";
import { rehearsals } from "./rehearsal/index.ts";
import { secondFactors } from "./second-factor/index.ts";
import type { Shortcut } from "./server.ts";
import { createApp, requestIds } from "./server.ts";
import { readCaller } from "./session/caller.ts";
import { sessions } from "./session/index.ts";
import type { LiveSession } from "./session/store.ts";
import { readSignIn } from "./sign-in/caller.ts";
import { signIns } from "./sign-in/index.ts";
import { site } from "./site/index.ts";
import { throttle } from "./throttle/index.ts";
import { webhooks } from "./webhook/index.ts";

/** Everything that the service can do. */
const CAPABILITIES: Readonly<Record<string, Capability>> = {
  health,
  accounts,
  signIns,
  passwords,
  accessKeys,
  secondFactors,
  passkeys,
  sessions,
  journal,
  apps,
  appAccounts,
  throttle,
  webhooks,
  intakes,
  mail,
  mailLinks,
  oauth,
  proxyCheck,
  site,
  pages,
  description,
  movableClock,
  rehearsals,
};

/** By this the router names a plugin when something is wrong with it. */
const DISPLAY_NAME = Symbol.for("fastify.display-name");

/** Makes the service. The caller lets it listen, and closes it; the data source stays the caller's. */
export async function createService(parts: ServiceParts): Promise<FastifyInstance> {
  const { configuration, clock, logger } = parts;
  const inside = await lookInside(parts);
  const idOf = inside.named(requestIds(configuration.trustedProxies));
  let shortcut: Shortcut = () => false;
  const drain = new Drain();
  const headers = await makeReplyHeaders(configuration.publicUrl);
  const app = createApp({
    configuration,
    headers,
    logger,
    idOf,
    shortcut: (...exchange) => shortcut(...exchange),
    drain,
    around: inside.around,
  });
  const context = inside.context(await makeContext(parts));
  const { scheme, measured } = context.hashing;
  void measured.then((millisecondsPerHash) =>
    app.log.info({ scheme: scheme.text, millisecondsPerHash }, "password hashing measured"),
  );

  const shell = createPageShell(configuration, inside.script);
  const isOwnHost = readOwnHosts(configuration);
  guardRequests(app, context, { shell, isOwnHost });
  const logAnswer = logRequests(app, configuration.log.level);
  const figures = Object.values(CAPABILITIES).flatMap((capability) => capability.figures ?? []);
  const metrics = collectMetrics(app, context, figures);
  if ("refresh" in clock) followMovedClock(app, clock, context);
  const joined = { context, shell, clock, metrics: metrics.registry, drain };
  await addRoutes(app, joined, { ...CAPABILITIES, inside });

  const quickCheck = createQuickCheck(app, context, {
    basePath: basePathOf(configuration.publicUrl),
    headers,
    idOf,
    drain,
    refreshClock: "refresh" in clock ? () => clock.refresh() : null,
    answered(answer) {
      metrics.checked(answer.seconds);
      logAnswer(answer);
    },
  });
  shortcut = (request, response) => isOwnHost(hostOf(request)) && quickCheck(request, response);
  startBackground(app, context, Object.values(CAPABILITIES));
  drainBeforeClose(app, drain, configuration.grace);
  return app;
}

const SEVERAL_HOSTS = "The request has several Host headers; send one.";

/** What every request meets, whatever it asks for. */
function guardRequests(
  app: FastifyInstance,
  context: ServiceContext,
  { shell, isOwnHost }: { shell: PageShell; isOwnHost: ReturnType<typeof readOwnHosts> },
): void {
  const { publicUrl } = context.configuration;
  const methodsOf = rememberMethods(app);
  acceptJson(app);
  answerProblems(app, publicUrl, context.refusals);
  const localPaths = new Set(HEALTH_PATHS.map((path) => basePathOf(publicUrl) + path));
  app.addHook("onRequest", async ({ raw, url }) => {
    const host = hostOf(raw);
    if (host === null) throw new ProblemReply("malformed-request", { detail: SEVERAL_HOSTS });
    if (!isOwnHost(host) && !(localPaths.has(url) && isLocal(raw))) throw new ProblemReply("wrong-host");
  });
  readBehalf(app, context);
  app.decorate("readCaller", (request: FastifyRequest) => readCaller(context, request));
  app.decorate("readSignIn", (request: FastifyRequest) => readSignIn(context, request));
  app.decorate("readApp", (request: FastifyRequest) => readApp(context, request));
  app.decorate("assertOperates", (caller: LiveSession, what: { changes: boolean }) =>
    assertOperates(context, caller, what),
  );
  app.decorate("assertOwnOrigin", (request: FastifyRequest) => {
    assertOwnOrigin(request, publicUrl, [context.ownCookie, context.signInCookie]);
  });
  app.setNotFoundHandler((request, reply) => {
    const path = request.url.slice(basePathOf(publicUrl).length);
    const isPage = wantsHtml(request) && !/^\/(v1|oauth)\//.test(path);
    if (isPage && methodsOf(request.url.split("?", 1)[0] ?? "").length === 0)
      return shell.sendProblem(request, reply, "not-found");
    return refuseUnknown(methodsOf, request, reply);
  });
}

/** Everything below the path of the public address, and the metadata beside it. */
async function addRoutes(
  app: FastifyInstance,
  parts: Parts,
  capabilities: Readonly<Record<string, Pick<Capability, "routes">>>,
): Promise<void> {
  const { publicUrl } = parts.context.configuration;
  const basePath = basePathOf(publicUrl);
  await app.register(
    async (own) => {
      for (const [name, { routes }] of Object.entries(capabilities)) {
        if (routes !== undefined) await own.register(Object.assign(routes(parts), { [DISPLAY_NAME]: name }));
      }
    },
    { prefix: basePath },
  );
  await app.register(relatedOriginsRoute(parts.context.configuration.passkeys));
  await app.register(metadataRoute(publicUrl, OAUTH_PATHS.metadata));
  // RFC 8414 section 3: for an issuer with a path, the well-known part comes before it.
  if (basePath !== "") await app.register(metadataRoute(publicUrl, OAUTH_PATHS.metadata + basePath));
}
