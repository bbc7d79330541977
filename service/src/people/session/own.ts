/** What people do with their own sessions: look at them, end one, end all others. */
import type { Session } from "@lucchetto/contract";
import { ProblemReply } from "../../base/problem.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { changeOwn } from "../../records/granting/own-change.ts";
import { record } from "../../records/journal/journal.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { endOtherSessionsOf, endSession, findSession, listLivingOf } from "../../records/session/store.ts";
import { showSession } from "./session.ts";

/** The living ones, the latest used first. */
export async function listOwnSessions(
  { dataSource, clock }: ServiceContext,
  { session, account }: LiveSession,
): Promise<Session[]> {
  const now = clock.now();
  const rows = await listLivingOf(dataSource, account.id, now);
  return rows.map((row) => showSession(row, { now, current: row.id === session.id }));
}

/** Ends one. Another person's is as missing as none. @throws ProblemReply `not-found`. Ending an ended one is no error. */
export async function endOwnSession(
  context: ServiceContext,
  caller: LiveSession,
  id: string,
  visit: RequestOrigin,
): Promise<void> {
  const session = await findSession(context.dataSource, id);
  if (session?.accountId !== caller.account.id) throw new ProblemReply("not-found");
  await changeOwn(context, caller, async ({ manager, account, now }) => {
    if (!(await endSession(manager, id, { now, reason: "ended-by-owner" }))) return;
    const event = { kind: "session.ended-by-owner", accountId: account.id, sessionId: id } as const;
    await record(context, manager, { event, visit, now });
  });
}

/** Ends all but this one. @returns how many there were. */
export async function endOtherSessions(
  context: ServiceContext,
  caller: LiveSession,
  visit: RequestOrigin,
): Promise<number> {
  return changeOwn(context, caller, async ({ manager, account, session, now }) => {
    const ended = await endOtherSessionsOf(manager, account.id, session.id, {
      now,
      reason: "ended-by-owner",
    });
    const event = {
      kind: "session.others-ended",
      reason: String(ended),
      accountId: account.id,
      sessionId: session.id,
    } as const;
    if (ended > 0) await record(context, manager, { event, visit, now });
    return ended;
  });
}
