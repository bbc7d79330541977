/** The authorization endpoint (RFC 6749 section 4.1, RFC 7636, RFC 9207). */
import { randomBytes } from "node:crypto";
import { isCodeChallenge, mintToken, TOKEN_BYTES } from "@lucchetto/core";
import type { Configuration } from "../../base/config/index.ts";
import { ProblemReply } from "../../base/problem.ts";
import type { AppRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { enter } from "../../records/app/behind.ts";
import { findByClientId } from "../../records/app/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import { forgetOlderCodes, insertCode, isChallengeSpent } from "../../records/oauth/store.ts";
import { secondFactorsOf } from "../../records/second-factor/offered.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { parameter, requiredParameter } from "./form.ts";
import { OAuthRefusal } from "./refusal.ts";
import type { StepWish } from "./step-up.ts";
import { LEVELS, readMaxAge, stepWanted } from "./step-up.ts";

/** Milliseconds that a code lives (RFC 6749 section 4.1.2 recommends ten minutes at most). */
const CODE_LIFETIME = 60_000;

/** Codes of one session for one app that wait to be exchanged: tabs that are away at once. */
const MAX_UNSPENT = 10;

/** Values of `prompt` that are understood; others are ignored, as unknown parameters are. */
export const PROMPTS = ["none", "create"] as const;

type Authorization =
  | { readonly kind: "redirect"; readonly location: string }
  /** Nobody is signed in: the person goes to one of the own pages first, and then comes back to the same question. */
  | { readonly kind: "sign-in" | "register" }
  /** Somebody is signed in, but showed too little, or too long ago, for what the app asks: a page of ours asks for it. */
  | { readonly kind: "reauthenticate" };

/**
 * Answers an authorization request.
 * @throws ProblemReply `unknown-app`, `unregistered-return-address`: shown as a page, for until app and address are
 * known to belong together nobody is sent anywhere.
 */
export async function authorize(
  context: ServiceContext,
  query: URLSearchParams,
  session: LiveSession | null,
): Promise<Authorization> {
  const { app, redirectUri } = await readReturnAddress(context, query);
  try {
    const codeChallenge = readChallenge(query);
    const prompt = parameter(query, "prompt");
    if (session === null) {
      if (prompt === "none") throw new OAuthRefusal("login_required", "Nobody is signed in.");
      return { kind: prompt === "create" ? "register" : "sign-in" };
    }
    const step = stepWanted(readStep(query), session.session, context.clock.now());
    if (step === "level" && !(await canReachLevel(context, query, session)))
      throw new OAuthRefusal(
        "unmet_authentication_requirements",
        "The account has no second factor with which it could reach this level.",
      );
    if (step !== null) {
      if (prompt === "none") throw new OAuthRefusal("login_required", WHAT_IS_WANTED[step]);
      return { kind: "reauthenticate" };
    }
    // An application takes each request up once: whoever comes back to one later, as from a mail, is sent to begin there anew.
    const page = parameter(query, "target_link_uri");
    if (
      page !== undefined &&
      app.initiateLoginUri !== null &&
      (await isChallengeSpent(context.dataSource, codeChallenge))
    )
      return { kind: "redirect", location: enter(context, app, page) ?? app.initiateLoginUri };
    const code = await issueCode(context, { app, redirectUri, codeChallenge, session });
    return { kind: "redirect", location: answerAt(context, redirectUri, query, { code }) };
  } catch (error) {
    if (!(error instanceof OAuthRefusal)) throw error;
    const fields = { error: error.code, error_description: error.message };
    return { kind: "redirect", location: answerAt(context, redirectUri, query, fields) };
  }
}

async function readReturnAddress(
  { dataSource, configuration }: ServiceContext,
  query: URLSearchParams,
): Promise<{ app: AppRow; redirectUri: string }> {
  const [clientId, ...moreClientIds] = query.getAll("client_id");
  const app =
    clientId === undefined || moreClientIds.length > 0 ? null : await findByClientId(dataSource, clientId);
  if (app === null) throw new ProblemReply("unknown-app");
  const [redirectUri, ...moreAddresses] = query.getAll("redirect_uri");
  const registered = redirectUri !== undefined && app.redirectUris.includes(redirectUri);
  if (!registered || moreAddresses.length > 0)
    throw unregisteredAddress(configuration, { asked: redirectUri ?? "", registered: app.redirectUris });
  return { app, redirectUri };
}

/** In development it says which address was asked for, and which are registered. */
export function unregisteredAddress(
  { mode }: Pick<Configuration, "mode">,
  { asked, registered }: { asked: string; registered: readonly string[] },
): ProblemReply {
  const detail = `Asked for: ${asked === "" ? "none" : asked}. Registered: ${registered.join(", ") || "none"}.`;
  return new ProblemReply("unregistered-return-address", mode === "development" ? { detail } : {});
}

function readChallenge(query: URLSearchParams): string {
  if (requiredParameter(query, "response_type") !== "code") {
    throw new OAuthRefusal("unsupported_response_type", "Only response_type=code is understood.");
  }
  parameter(query, "state");
  const codeChallenge = requiredParameter(query, "code_challenge");
  if (parameter(query, "code_challenge_method") !== "S256") {
    throw new OAuthRefusal("invalid_request", "Only code_challenge_method=S256 is accepted.");
  }
  if (!isCodeChallenge(codeChallenge)) {
    throw new OAuthRefusal("invalid_request", "The code_challenge is not the base64url of a SHA-256.");
  }
  return codeChallenge;
}

const WHAT_IS_WANTED = {
  level: "The second factor was not shown in this session, or too long ago.",
  freshness: "The last proof was shown too long ago.",
} as const;

/** Whether the account has what a level takes that the app asks for. */
async function canReachLevel(
  { dataSource }: ServiceContext,
  query: URLSearchParams,
  { account }: LiveSession,
): Promise<boolean> {
  const isKnown = levelsOf(query).some((level) => LEVELS.some((known) => known === level));
  return isKnown && (await secondFactorsOf(dataSource.manager, account.id)).length > 0;
}

function levelsOf(query: URLSearchParams): string[] {
  return parameter(query, "acr_values")?.split(" ").filter(Boolean) ?? [];
}

function readStep(query: URLSearchParams): StepWish {
  const maxAge = readMaxAge(parameter(query, "max_age"));
  if (maxAge === null)
    throw new OAuthRefusal("invalid_request", "The parameter max_age is a number of seconds.");
  return { levels: levelsOf(query), maxAge };
}

async function issueCode(
  { dataSource, clock }: ServiceContext,
  wanted: { app: AppRow; redirectUri: string; codeChallenge: string; session: LiveSession },
): Promise<string> {
  const now = clock.now();
  const { plain, hashed } = mintToken("authorization-code", randomBytes(TOKEN_BYTES));
  const whose = { appId: wanted.app.id, sessionId: wanted.session.session.id };
  await inTransaction(dataSource, async (manager) => {
    await forgetOlderCodes(manager, whose, MAX_UNSPENT - 1);
    await insertCode(manager, {
      codeHash: hashed,
      ...whose,
      redirectUri: wanted.redirectUri,
      codeChallenge: wanted.codeChallenge,
      createdAt: now,
      expiresAt: new Date(now.getTime() + CODE_LIFETIME),
      spentAt: null,
    });
  });
  return plain;
}

/** The return address with the answer added; `state` goes back unchanged, `iss` says who answers (RFC 9207). */
function answerAt(
  { configuration }: ServiceContext,
  redirectUri: string,
  query: URLSearchParams,
  fields: Readonly<Record<string, string>>,
): string {
  const location = new URL(redirectUri);
  for (const [name, value] of Object.entries(fields)) location.searchParams.append(name, value);
  const [state] = query.getAll("state");
  if (state !== undefined) location.searchParams.append("state", state);
  location.searchParams.append("iss", configuration.publicUrl);
  return location.href;
}
