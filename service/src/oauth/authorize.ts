/** The authorization endpoint (RFC 6749 section 4.1, RFC 7636, RFC 9207). */
import { randomBytes } from "node:crypto";
import { isCodeChallenge, mintToken, TOKEN_BYTES } from "@lucchetto/core";
import { findByClientId } from "../app/store.ts";
import type { ServiceContext } from "../context.ts";
import { ProblemReply } from "../http/problem.ts";
import type { LiveSession } from "../session/store.ts";
import type { AppRow } from "../storage/index.ts";
import { inTransaction } from "../storage/index.ts";
import { parameter, requiredParameter } from "./form.ts";
import { OAuthRefusal } from "./refusal.ts";
import { insertCode } from "./store.ts";

/** Milliseconds that a code lives (RFC 6749 section 4.1.2 recommends ten minutes at most). */
export const CODE_LIFETIME = 60_000;

/** Values of `prompt` that are understood; others are ignored, as unknown parameters are. */
export const PROMPTS = ["none", "create"] as const;

export type Authorization =
  | { readonly kind: "redirect"; readonly location: string }
  /** Nobody is signed in: the person goes to one of the own pages first, and then comes back to the same question. */
  | { readonly kind: "sign-in" | "register" };

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
    const code = await issueCode(context, { app, redirectUri, codeChallenge, session });
    return { kind: "redirect", location: answerAt(context, redirectUri, query, { code }) };
  } catch (error) {
    if (!(error instanceof OAuthRefusal)) throw error;
    const fields = { error: error.code, error_description: error.message };
    return { kind: "redirect", location: answerAt(context, redirectUri, query, fields) };
  }
}

async function readReturnAddress(
  { dataSource }: ServiceContext,
  query: URLSearchParams,
): Promise<{ app: AppRow; redirectUri: string }> {
  const [clientId, ...moreClientIds] = query.getAll("client_id");
  const app =
    clientId === undefined || moreClientIds.length > 0 ? null : await findByClientId(dataSource, clientId);
  if (app === null) throw new ProblemReply("unknown-app");
  const [redirectUri, ...moreAddresses] = query.getAll("redirect_uri");
  const registered = redirectUri !== undefined && app.redirectUris.includes(redirectUri);
  if (!registered || moreAddresses.length > 0) throw new ProblemReply("unregistered-return-address");
  return { app, redirectUri };
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

async function issueCode(
  { dataSource, clock }: ServiceContext,
  wanted: { app: AppRow; redirectUri: string; codeChallenge: string; session: LiveSession },
): Promise<string> {
  const now = clock.now();
  const { plain, hashed } = mintToken("authorization-code", randomBytes(TOKEN_BYTES));
  await inTransaction(dataSource, (manager) =>
    insertCode(manager, {
      codeHash: hashed,
      appId: wanted.app.id,
      sessionId: wanted.session.session.id,
      redirectUri: wanted.redirectUri,
      codeChallenge: wanted.codeChallenge,
      createdAt: now,
      expiresAt: new Date(now.getTime() + CODE_LIFETIME),
      spentAt: null,
    }),
  );
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
