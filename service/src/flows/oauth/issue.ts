/** Check tokens that no code came before: of a browser behind the proxy, and of a session begun in a form of an app's own. */
import { randomBytes } from "node:crypto";
import { mintToken, TOKEN_BYTES } from "@lucchetto/core";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { changeOwn } from "../../records/granting/own-change.ts";
import { record } from "../../records/journal/journal.ts";
import { forgetOlderTokens, insertCheckToken } from "../../records/oauth/store.ts";
import type { LiveSession } from "../../records/session/store.ts";

/** Of one session and app: a browser needs one. */
const MAX_TOKENS = 5;

/** Makes one, unless the session ended meanwhile. @returns the token, which exists nowhere else. @throws ProblemReply `not-signed-in`. */
export async function issueCheckToken(
  context: ServiceContext,
  caller: LiveSession,
  { appId, visit }: { appId: string; visit: RequestOrigin },
): Promise<string> {
  const { plain, hashed } = mintToken("check-token", randomBytes(TOKEN_BYTES));
  await changeOwn(context, caller, async ({ manager, account, session, now }) => {
    // No code came before it; its own hash stands there, and nothing is ever found by it.
    const row = { tokenHash: hashed, codeHash: hashed, appId, sessionId: session.id };
    const hadOne = await forgetOlderTokens(manager, row, MAX_TOKENS - 1);
    await insertCheckToken(manager, { ...row, createdAt: now, endedAt: null });
    // Whoever comes over and over fills neither table nor journal.
    if (hadOne) return;
    const ids = { accountId: account.id, sessionId: session.id, appId };
    await record(context, manager, { event: { kind: "app.check-token-issued", ...ids }, visit, now });
  });
  return plain;
}
