/**
 * The proxy check: a reverse proxy asks before it lets a request through to an application that knows nothing of us.
 * Lucchetto lives under a path of the same host; the browser holds a check token of its own beside the own token, which
 * never leaves that path.
 */
import type { ActiveIntrospection, IdentityHeaders } from "@lucchetto/contract";
import { identityHeaders, ownPathOr } from "@lucchetto/contract";
import { hashToken, OPERATOR_LABEL } from "@lucchetto/core";
import type { FastifyRequest } from "fastify";
import { readBasicPair } from "../../base/http/basic.ts";
import { readBearer } from "../../base/http/bearer.ts";
import { listedAmong } from "../../base/http/network.ts";
import { ProblemReply } from "../../base/problem.ts";
import { introspect } from "../../flows/oauth/introspect.ts";
import { issueCheckToken } from "../../flows/oauth/issue.ts";
import type { StepWish } from "../../flows/oauth/step-up.ts";
import { LEVELS, readMaxAge, stepWanted } from "../../flows/oauth/step-up.ts";
import { checkBasicPassword } from "../../flows/sign-in/basic.ts";
import { describeAccessKey, recogniseAccessKey } from "../../people/access-key/access-key.ts";
import type { ProxiedApp } from "../../records/app/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import { visitOf } from "../../records/http/visit.ts";
import type { CheckedToken } from "../../records/oauth/store.ts";
import { secondFactorsOf } from "../../records/second-factor/offered.ts";
import type { LiveSession } from "../../records/session/store.ts";

/** Of a guest. */
const NOBODY = identityHeaders(null);

/** Where the proxy says what was asked for. */
const ASKED_HEADERS = ["lucchetto-asked", "x-forwarded-uri"] as const;
const METHOD_HEADERS = ["lucchetto-method", "x-forwarded-method"] as const;
const UPGRADE_HEADERS = ["lucchetto-upgrade", "upgrade"] as const;

/** @throws ProblemReply `proxies-only`, unless the configuration lists the caller. */
export function assertProxy({ configuration }: ServiceContext, request: FastifyRequest): void {
  const { remoteAddress } = request.socket;
  const { proxies } = configuration.proxyCheck;
  if (remoteAddress === undefined || !listedAmong(proxies, remoteAddress)) {
    throw new ProblemReply("proxies-only", {
      detail: `The caller's address ${remoteAddress ?? "(unknown)"} is not listed in proxyCheck.proxies.`,
    });
  }
}

/** The app whose check tokens the proxy's visitors hold. @throws ProblemReply `unknown-app`. */
async function proxiedApp({ configuration, lookUps }: ServiceContext): Promise<ProxiedApp> {
  const { clientId } = configuration.proxyCheck;
  const app = clientId === undefined ? null : await lookUps.proxiedApp(Buffer.from(clientId));
  if (app === null)
    throw new ProblemReply("unknown-app", {
      detail:
        "proxyCheck.clientId in lucchetto.yaml names no registered application; register one with: lucchetto app add",
    });
  return app;
}

/** What the proxy wants of a visitor. */
interface ProxyWish {
  readonly label: string | undefined;
  readonly guests: boolean;
  readonly step: StepWish;
}

/** @param query of the proxy's question. @throws ProblemReply `malformed-request`: whoever set the proxy up sees it at once. */
export function readWish(query: URLSearchParams): ProxyWish {
  return {
    label: query.get("label") ?? undefined,
    guests: query.get("guests") === "yes",
    step: readStep(query),
  };
}

function readStep(query: URLSearchParams): StepWish {
  const level = query.get("level");
  const maxAge = readMaxAge(query.get("fresh") ?? undefined);
  if (level !== null && level !== "1" && level !== "2")
    throw new ProblemReply("malformed-request", { detail: `level is 1 or 2, not ${JSON.stringify(level)}.` });
  if (maxAge === null)
    throw new ProblemReply("malformed-request", { detail: "fresh is a number of seconds, as in fresh=600." });
  return { levels: level === null ? [] : LEVELS.slice(Number(level) - 1), maxAge };
}

/**
 * Who is there.
 * @returns for a guest who may pass, every header empty.
 * @throws ProblemReply `not-signed-in`, `label-missing`, `step-up-required`, `foreign-origin`; as `checkBasicPassword`.
 */
export async function checkForProxy(
  context: ServiceContext,
  request: FastifyRequest,
  { label, guests, step }: ProxyWish,
): Promise<IdentityHeaders> {
  // Both look-ups at once; what the second found counts only where no script shows something.
  const [app, found] = await Promise.all([proxiedApp(context), findBrowser(context, request)]);
  const script = scriptOf(request, app);
  if (script === null && found !== null && isForeignChange(context, request)) {
    if (guests) return NOBODY;
    throw new ProblemReply("foreign-origin");
  }
  const who =
    script === null
      ? readBrowser(context, found, app)
      : await recogniseScript(context, request, { app, script });
  if (who === null) {
    if (guests && script === null) return NOBODY;
    throw new ProblemReply("not-signed-in", {
      headers: {
        "www-authenticate": challengesFor(context, request, script !== null),
        "lucchetto-sign-in": script === null ? signInAddress(context, request, step) : "",
      },
    });
  }
  if (label !== undefined && !who.labels.includes(label)) {
    throw new ProblemReply("label-missing", { detail: `The account does not carry the label "${label}".` });
  }
  assertStep(context, request, { step, session: script === null ? (found?.session ?? null) : null });
  return identityOf(who);
}

/** @throws ProblemReply `step-up-required`, with the challenge of RFC 9470 and the address where a person shows what is lacking. */
function assertStep(
  context: ServiceContext,
  request: FastifyRequest,
  { step, session }: { step: StepWish; session: CheckedToken["session"] | null },
): void {
  const { levels, maxAge } = step;
  if (levels.length === 0 && maxAge === undefined) return;
  if (session !== null && stepWanted(step, session, context.clock.now()) === null) return;
  const wanted = {
    ...(levels.length === 0 ? {} : { acr_values: levels.join(" ") }),
    ...(maxAge === undefined ? {} : { max_age: String(maxAge) }),
  };
  const parameters = Object.entries(wanted).map(([name, value]) => `, ${name}="${value}"`);
  throw new ProblemReply("step-up-required", {
    headers: {
      "www-authenticate": `Bearer realm="${context.configuration.publicUrl}", error="insufficient_user_authentication"${parameters.join("")}`,
      "lucchetto-sign-in": session === null ? "" : signInAddress(context, request, step),
    },
  });
}

type Who = Pick<
  ActiveIntrospection,
  "sub" | "reference" | "email" | "email_verified" | "username" | "name" | "labels" | "sid" | "acr"
>;

/** What a script shows; `null` where the header holds nothing for us, but for a server before this one, say. */
function scriptOf(
  { headers }: FastifyRequest,
  { basicPasswords }: ProxiedApp,
): { readonly name: string | undefined; readonly secret: string; readonly isBasic: boolean } | null {
  const bearer = readBearer(headers.authorization);
  if (bearer?.startsWith("lca_") === true) return { name: undefined, secret: bearer, isBasic: false };
  const basic = readBasicPair(headers.authorization);
  if (basic === null || !(basicPasswords || basic.password.startsWith("lca_"))) return null;
  return { name: basic.name, secret: basic.password, isBasic: true };
}

async function findBrowser(
  { proxyCookie, lookUps }: ServiceContext,
  { headers }: FastifyRequest,
): Promise<CheckedToken | null> {
  const token = proxyCookie.read(headers.cookie);
  const hashed = token === undefined ? null : hashToken("check-token", token);
  return hashed === null ? null : lookUps.checkToken(hashed);
}

function readBrowser(context: ServiceContext, found: CheckedToken | null, app: ProxiedApp): Who | null {
  const answer = introspect(context, found, { appId: app.id, clientId: app.clientId });
  return answer.active ? answer : null;
}

async function recogniseScript(
  context: ServiceContext,
  request: FastifyRequest,
  { app, script }: { app: ProxiedApp; script: NonNullable<ReturnType<typeof scriptOf>> },
): Promise<Who | null> {
  const { name, secret, isBasic } = script;
  const visit = visitOf(request);
  if (isBasic) assertNotFromElsewhere(context, request);
  if (secret.startsWith("lca_")) {
    const shown = { text: secret, username: name, appId: app.id, visit };
    const held = await recogniseAccessKey(context, shown);
    const answer = held && describeAccessKey(context, held, app.clientId);
    return answer?.active === true ? answer : null;
  }
  context.appUsage.note(app.id, "basic");
  try {
    const shown = { identifier: name ?? "", password: secret, visit };
    const account = await checkBasicPassword(context, shown);
    const { id: sub, displayName, reference, email, emailVerified, username } = account;
    const labels = account.labels.filter((label) => label !== OPERATOR_LABEL);
    const facts = { name: displayName, reference, email, email_verified: emailVerified, username, labels };
    return { sub, ...facts, sid: undefined, acr: "aal1" };
  } catch (error) {
    if (error instanceof ProblemReply && error.code === "sign-in-refused") return null;
    throw error;
  }
}

/**
 * Whether a page's cookie would change something that no page of this site asked for. A proxy that names no method, and a
 * WebSocket, count as a change.
 */
function isForeignChange({ configuration }: ServiceContext, { headers }: FastifyRequest): boolean {
  const { publicUrl, proxyCheck } = configuration;
  if (proxyCheck.changesFromAnywhere) return false;
  const method = firstOf(headers, METHOD_HEADERS);
  const isReading =
    (method === "GET" || method === "HEAD") && firstOf(headers, UPGRADE_HEADERS) === undefined;
  if (isReading) return false;
  const { origin, "sec-fetch-site": site } = headers;
  return origin === undefined ? site !== "same-origin" : origin !== new URL(publicUrl).origin;
}

/** Browsers send a Basic password along by themselves, also with what foreign pages make them send. */
function assertNotFromElsewhere({ configuration }: ServiceContext, { headers }: FastifyRequest): void {
  const { origin, "sec-fetch-site": site } = headers;
  const ownOrigin = new URL(configuration.publicUrl).origin;
  const isOwn =
    origin === undefined
      ? site === undefined || ["same-origin", "none"].includes(site)
      : origin === ownOrigin;
  const method = firstOf(headers, METHOD_HEADERS) ?? "POST";
  if (!isOwn && method !== "GET" && method !== "HEAD") throw new ProblemReply("foreign-origin");
}

/** Basic is not offered to browsers: they would ask for a password in a window of their own. */
function challengesFor(
  { configuration }: ServiceContext,
  { headers }: FastifyRequest,
  isWrong: boolean,
): string {
  const realm = `realm="${configuration.publicUrl}"`;
  const error = isWrong ? ', error="invalid_token"' : "";
  const isBrowser = headers["sec-fetch-site"] !== undefined;
  return isBrowser ? `Bearer ${realm}${error}` : `Bearer ${realm}${error}, Basic ${realm}, charset="UTF-8"`;
}

/** Where a person's browser is sent to sign in; empty for programs, which get the challenge alone. */
function signInAddress(
  { configuration }: ServiceContext,
  { headers }: FastifyRequest,
  { levels, maxAge }: StepWish,
): string {
  const method = firstOf(headers, METHOD_HEADERS) ?? "GET";
  const isPerson = (headers.accept ?? "").includes("text/html") && (method === "GET" || method === "HEAD");
  if (!isPerson) return "";
  const to = ownPathOr("/", firstOf(headers, ASKED_HEADERS) ?? "/");
  const wanted = {
    to,
    ...(levels[0] === "aal2" ? { level: "2" } : {}),
    ...(maxAge === undefined ? {} : { fresh: String(maxAge) }),
  };
  return `${configuration.publicUrl}${ENTER_PATH}?${new URLSearchParams(wanted).toString()}`;
}

/**
 * The page where somebody signed in shows what a place behind the proxy still wants, or sets it up; `null`: nothing is lacking.
 * @throws ProblemReply `malformed-request`.
 */
export async function stepPage(
  { dataSource, clock }: ServiceContext,
  { session, account }: LiveSession,
  query: URLSearchParams,
): Promise<string | null> {
  const step = stepWanted(readStep(query), session, clock.now());
  if (step === null) return null;
  const isThere = step === "freshness" || (await secondFactorsOf(dataSource.manager, account.id)).length > 0;
  return isThere ? "/account/reauthenticate" : "/account/second-factor";
}

/** Where a browser comes to fetch its check token, on the way to a page behind the proxy. */
export const ENTER_PATH = "/proxy/enter";

/** Gives this browser a check token of its session. @returns the token; `null` where it holds one already. */
export async function enter(
  context: ServiceContext,
  { session, account }: LiveSession,
  request: FastifyRequest,
): Promise<string | null> {
  const app = await proxiedApp(context);
  const held = await findBrowser(context, request);
  if (held?.appId === app.id && held.session.id === session.id && held.tokenEndedAt === null) return null;
  return issueCheckToken(context, { session, account }, { appId: app.id, visit: visitOf(request) });
}

function identityOf(who: Who): IdentityHeaders {
  return identityHeaders({
    account: who.sub,
    reference: who.reference,
    provedEmail: who.email_verified === true ? who.email : null,
    username: who.username,
    name: who.name,
    labels: who.labels,
    session: who.sid ?? null,
    level: who.acr === "aal2" ? 2 : 1,
  });
}

function firstOf(headers: FastifyRequest["headers"], names: readonly string[]): string | undefined {
  for (const name of names) {
    const value = headers[name];
    if (typeof value === "string" && value !== "") return value;
  }
  return undefined;
}
