/** Showing a proof again inside a session, before a sensitive change. A new own token replaces the old one. */
import { randomBytes } from "node:crypto";
import { mintToken, TOKEN_BYTES } from "@lucchetto/core";
import { lockAccount } from "../account/store.ts";
import type { ServiceContext, Visit } from "../context.ts";
import { fieldProblem, ProblemReply } from "../http/problem.ts";
import { record } from "../journal/journal.ts";
import { isPresentPassword } from "../password/change.ts";
import { inTransaction } from "../storage/index.ts";
import { clearCountsOf, reservePasswordTry } from "../throttle/throttle.ts";
import type { BegunSession } from "./session.ts";
import type { LiveSession } from "./store.ts";
import { noteProof, replaceToken } from "./store.ts";

/**
 * A wrong password counts as a failed try, like one at sign-in.
 * @throws ProblemReply `invalid-fields`, `throttled`, `too-busy`, `not-signed-in` (if the session ended meanwhile).
 */
export async function reauthenticate(
  context: ServiceContext,
  { session, account }: LiveSession,
  { password, visit, mark }: { password: string; visit: Visit; mark: string | undefined },
): Promise<BegunSession> {
  const { dataSource, clock } = context;
  const { id: accountId } = account;
  const reserved = await reservePasswordTry(context, {
    accountId,
    name: accountId,
    network: visit.network,
    mark,
  });
  let matches: boolean;
  try {
    matches = await isPresentPassword(context, accountId, password);
  } catch (error) {
    await reserved.giveBack();
    throw error;
  }
  if (!matches) {
    const event = {
      kind: "session.reauthentication-refused",
      outcome: "refused",
      reason: "wrong-password",
      accountId,
      sessionId: session.id,
    } as const;
    await inTransaction(dataSource, (manager) => record(manager, { event, visit, now: clock.now() }));
    throw fieldProblem([{ path: "proof.password", message: "This is not your password." }]);
  }
  const { plain, hashed } = mintToken("own-token", randomBytes(TOKEN_BYTES));
  return inTransaction(dataSource, async (manager) => {
    const now = clock.now();
    const locked = await lockAccount(manager, accountId);
    if (locked?.state !== "active" || !(await replaceToken(manager, session, hashed)))
      throw new ProblemReply("not-signed-in");
    await noteProof(manager, session.id, now);
    await reserved.succeed(manager);
    await clearCountsOf(context, manager, accountId);
    const event = { kind: "session.reauthenticated", accountId, sessionId: session.id } as const;
    await record(manager, { event, visit, now });
    return { session: { ...session, authTime: now }, account, token: plain };
  });
}
