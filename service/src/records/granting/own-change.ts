/**
 * What people change of their own account, they change here: the account is locked, and the session read again under that lock.
 * A call that waited while the session ended, or while its token was replaced, changes nothing any more (ASVS V7.4).
 */
import { isSessionAlive } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import { grant } from "../../base/storage/granted.ts";
import type { AccountRow, Granted, SessionRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { lockAccount } from "../account/store.ts";
import type { ServiceContext } from "../context.ts";
import type { LiveSession } from "../session/store.ts";
import { lockSession } from "../session/store.ts";

/** A transaction in which the account and the session that changes it are locked and alive. */
export interface OwnChange {
  readonly manager: Granted;
  readonly account: AccountRow;
  readonly session: SessionRow;
  readonly now: Date;
}

/**
 * Changes something of one's own, whole or not at all.
 * @param work does it, in the transaction; what it throws undoes all. It may be called again if the transaction lost a deadlock.
 * @throws ProblemReply `not-signed-in` if the session ended, its token was replaced, or the account was closed or suspended.
 */
export function changeOwn<Result>(
  { dataSource, clock }: ServiceContext,
  caller: LiveSession,
  work: (change: OwnChange) => Promise<Result>,
): Promise<Result> {
  return inTransaction(dataSource, async (manager) => {
    // Whatever ends sessions locks the account first, too.
    const account = await lockAccount(manager, caller.account.id);
    const session = await lockSession(manager, caller.session.id);
    const now = clock.now();
    const isAlive =
      session !== null && isSessionAlive(session, now) && session.tokenHash.equals(caller.session.tokenHash);
    if (account?.state !== "active" || !isAlive) throw new ProblemReply("not-signed-in");
    return work({ manager: grant(manager), account, session, now });
  });
}
