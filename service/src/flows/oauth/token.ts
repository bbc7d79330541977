/** The token endpoint: exchanges a one-time code for a check token (RFC 6749 section 4.1.3). */
import { randomBytes } from "node:crypto";
import type { TokenReply } from "@lucchetto/contract";
import {
  hashToken,
  isSessionAlive,
  mintToken,
  sessionEnd,
  TOKEN_BYTES,
  verifierMatches,
} from "@lucchetto/core";
import type { AuthorizationCodeRow, SessionRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import {
  endCheckTokenOfCode,
  findCode,
  insertCheckToken,
  isStillGood,
  spendCode,
  voidCode,
} from "../../records/oauth/store.ts";
import { findSession } from "../../records/session/store.ts";
import { requiredParameter } from "./form.ts";
import { OAuthRefusal } from "./refusal.ts";

/** Swaps. @throws OAuthRefusal. */
export async function exchangeCode(
  context: ServiceContext,
  form: URLSearchParams,
  { appId, visit }: { appId: string; visit: RequestOrigin },
): Promise<TokenReply> {
  if (requiredParameter(form, "grant_type") !== "authorization_code") {
    throw new OAuthRefusal("unsupported_grant_type", "Only grant_type=authorization_code is understood.");
  }
  const code = requiredParameter(form, "code");
  const redirectUri = requiredParameter(form, "redirect_uri");
  const verifier = requiredParameter(form, "code_verifier");

  const now = context.clock.now();
  const hashed = hashToken("authorization-code", code);
  const row = hashed === null ? null : await findCode(context.dataSource, hashed);
  // Another app's code is not spent: whoever stole it cannot void it for its owner.
  if (row === null || row.appId !== appId) return refuse(context, "unknown-code", { appId, visit });
  if (!(await spendCode(context.dataSource, row.codeHash, now))) return refuseUsedCode(context, row, visit);
  if (now >= row.expiresAt) return refuse(context, "expired-code", { appId, visit });
  if (row.redirectUri !== redirectUri) return refuse(context, "other-return-address", { appId, visit });
  if (!verifierMatches(verifier, row.codeChallenge))
    return refuse(context, "wrong-verifier", { appId, visit });
  const session = await findSession(context.dataSource, row.sessionId);
  if (session === null || !isSessionAlive(session, now)) {
    return refuse(context, "session-ended", { appId, visit });
  }
  return issueCheckToken(context, row, { session, visit });
}

async function issueCheckToken(
  context: ServiceContext,
  { codeHash, appId }: AuthorizationCodeRow,
  { session, visit }: { session: SessionRow; visit: RequestOrigin },
): Promise<TokenReply> {
  const { dataSource, clock } = context;
  const { plain, hashed } = mintToken("check-token", randomBytes(TOKEN_BYTES));
  const now = clock.now();
  await inTransaction(dataSource, async (manager) => {
    // Shown again since it was spent, before there was a token to end: then it ends as it begins.
    const isGood = await isStillGood(manager, codeHash);
    await insertCheckToken(manager, {
      tokenHash: hashed,
      codeHash,
      appId,
      sessionId: session.id,
      createdAt: now,
      endedAt: isGood ? null : now,
    });
    const event = {
      kind: "app.check-token-issued",
      accountId: session.accountId,
      sessionId: session.id,
      appId,
    } as const;
    await record(context, manager, { event, visit, now });
  });
  const expiresIn = Math.max(0, Math.floor((sessionEnd(session).getTime() - now.getTime()) / 1_000));
  return { access_token: plain, token_type: "Bearer", expires_in: expiresIn };
}

/** A used code shown again ends what it gave (RFC 6749 section 4.1.2). */
async function refuseUsedCode(
  context: ServiceContext,
  { codeHash, appId, sessionId }: AuthorizationCodeRow,
  visit: RequestOrigin,
): Promise<never> {
  const { dataSource, clock } = context;
  const now = clock.now();
  await inTransaction(dataSource, async (manager) => {
    await voidCode(manager, codeHash);
    await endCheckTokenOfCode(manager, codeHash, now);
    const event = { kind: "app.code-used-again", outcome: "refused", appId, sessionId } as const;
    await record(context, manager, { event, visit, now });
  });
  throw invalidGrant();
}

async function refuse(
  context: ServiceContext,
  reason: string,
  { appId, visit }: { appId: string; visit: RequestOrigin },
): Promise<never> {
  const { dataSource, clock } = context;
  const event = { kind: "app.code-refused", outcome: "refused", reason, appId } as const;
  await inTransaction(dataSource, (manager) => record(context, manager, { event, visit, now: clock.now() }));
  throw invalidGrant();
}

/** One sentence for every reason: which of them it was stands in the journal. */
function invalidGrant(): OAuthRefusal {
  return new OAuthRefusal(
    "invalid_grant",
    "The code is unknown, used, expired, or was given for another app, return address or code_verifier.",
  );
}
