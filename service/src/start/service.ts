/** Puts the service together: server, context, background, routes. It knows no capability by name but in one list. */
import { OAUTH_PATHS } from "@lucchetto/contract";
import type { FastifyInstance, FastifyRequest } from "fastify";
import { basePathOf } from "../base/http/address.ts";
import { acceptJson } from "../base/http/body.ts";
import { Drain, drainBeforeClose } from "../base/http/drain.ts";
import { logRequests } from "../base/http/log.ts";
import { refuseUnknown, rememberMethods } from "../base/http/methods.ts";
import { hostOf, readOwnHosts } from "../base/http/own-host.ts";
import { assertOwnOrigin } from "../base/http/own-origin.ts";
import { makeReplyHeaders } from "../base/http/reply-headers.ts";
import { ProblemReply } from "../base/problem.ts";
import { accessKeys } from "../edges/access-key/routes.ts";
import { accounts } from "../edges/account/routes.ts";
import { appAccounts } from "../edges/app-account/routes.ts";
import { apps } from "../edges/app/routes.ts";
import type { Capability, Parts } from "../edges/capability/capability.ts";
import type { PageShell } from "../edges/capability/shell.ts";
import { createPageShell, wantsHtml } from "../edges/capability/shell.ts";
import { followMovedClock } from "../edges/clock/follow.ts";
import { movableClock } from "../edges/clock/routes.ts";
import { description } from "../edges/description/index.ts";
import { openMetricsPort } from "../edges/health/metrics-port.ts";
import { collectMetrics } from "../edges/health/metrics.ts";
import { health } from "../edges/health/routes.ts";
import { intakes } from "../edges/intake/routes.ts";
import { journal } from "../edges/journal/routes.ts";
import { mailLinks } from "../edges/mail-link/routes.ts";
import { mail } from "../edges/mail/routes.ts";
import { oauth } from "../edges/oauth/routes.ts";
import { metadataRoute } from "../edges/oauth/routes.ts";
import { assertOperates } from "../edges/operator/guard.ts";
import { pages } from "../edges/pages/index.ts";
import { passkeys } from "../edges/passkey/routes.ts";
import { relatedOriginsRoute } from "../edges/passkey/routes.ts";
import { passwords } from "../edges/password/routes.ts";
import { proxyCheck } from "../edges/proxy-check/routes.ts";
import { rehearsals } from "../edges/rehearsal/routes.ts";
import { secondFactors } from "../edges/second-factor/routes.ts";
import { sessions } from "../edges/session/routes.ts";
import { signIns } from "../edges/sign-in/routes.ts";
import { site } from "../edges/site/index.ts";
import { throttle } from "../edges/throttle/routes.ts";
import { webhooks } from "../edges/webhook/routes.ts";
import { readApp } from "../flows/oauth/client-authentication.ts";
import { createQuickCheck } from "../flows/oauth/quick-check.ts";
import { readSignIn } from "../flows/sign-in/caller.ts";
import { readCaller } from "../people/session/caller.ts";
import type { ServiceContext } from "../records/context.ts";
import { readDelegation } from "../records/http/delegation.ts";
import { answerProblems } from "../records/http/problem.ts";
import type { Shortcut } from "../records/http/server.ts";
import { createApp, requestIds } from "../records/http/server.ts";
import type { LiveSession } from "../records/session/store.ts";
import { startBackground } from "./background.ts";
import { openInspector } from "./look-inside.ts";
import type { ServiceParts } from "./make-context.ts";
import { makeContext } from "./make-context.ts";

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

/** Plugin name shown in Fastify's errors. */
const DISPLAY_NAME = Symbol.for("fastify.display-name");

/** Makes the service. The caller lets it listen, and closes it; the data source stays the caller's. */
export async function createService(parts: ServiceParts): Promise<FastifyInstance> {
  const { configuration, clock, logger } = parts;
  const inside = await openInspector(parts);
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
  const figures = Object.values(CAPABILITIES).flatMap((capability) => capability.gauges ?? []);
  const metrics = collectMetrics(app, context, figures);
  openMetricsPort(app, configuration.metrics, metrics.registry);
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
  app.addHook("onRequest", async ({ raw }) => {
    const host = hostOf(raw);
    if (host === null) throw new ProblemReply("malformed-request", { detail: SEVERAL_HOSTS });
    if (!isOwnHost(host)) throw new ProblemReply("wrong-host");
  });
  readDelegation(app, context);
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
