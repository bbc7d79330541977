/** Doing without a password, where enough other ways in remain. */
import { ProblemReply } from "../../base/problem.ts";
import { OWN_PASSWORD, updateAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { assertFresh } from "../../records/granting/fresh.ts";
import { changeOwn } from "../../records/granting/own-change.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { deleteRecord, hasRecord } from "../../records/password/store.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { endOtherSessionsOf } from "../../records/session/store.ts";
import { endSignInsOf } from "../../records/sign-in/store.ts";
import { countWaysWithoutPassword } from "../passkey/passkey.ts";

/** Ways in that remain: with one alone a lost device would close the account. */
const MIN_WAYS_LEFT = 2;

/** Removes it. There being none is no error. @throws ProblemReply `reauthenticate`, `password-is-wanted`, `not-signed-in`. */
export async function removePassword(
  context: ServiceContext,
  caller: LiveSession,
  visit: RequestOrigin,
): Promise<void> {
  await assertFresh(context, caller);
  await changeOwn(context, caller, async ({ manager, account: locked, session, now }) => {
    const { id: accountId } = locked;
    if (!(await hasRecord(manager, accountId))) return;
    if ((await countWaysWithoutPassword(context, manager, locked)) < MIN_WAYS_LEFT)
      throw new ProblemReply("password-is-wanted");
    await deleteRecord(manager, accountId, now);
    await updateAccount(manager, accountId, OWN_PASSWORD);
    await endOtherSessionsOf(manager, accountId, session.id, { now, reason: "password-changed" });
    await endSignInsOf(manager, accountId, now);
    const event = { kind: "password.removed", accountId, sessionId: session.id } as const;
    await recordAndTell(context, manager, { event, readers: { owner: locked }, visit, now });
  });
}
