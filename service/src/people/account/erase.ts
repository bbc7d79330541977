/** Erasing an account: by its owner, who can stop it for a while, or by an operator, at once. */
import { fieldError } from "@lucchetto/contract";
import { OPERATOR_LABEL } from "@lucchetto/core";
import type { DataSource } from "typeorm";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import { grant } from "../../base/storage/granted.ts";
import type { AccountRow, Granted } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { deleteRegistrationsOf } from "../../records/account/registration-store.ts";
import {
  deleteAccount,
  findAccount,
  listToErase,
  lockAccount,
  updateAccount,
} from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { changeAsOperator } from "../../records/granting/actor.ts";
import { assertFresh } from "../../records/granting/fresh.ts";
import { changeOwn } from "../../records/granting/own-change.ts";
import type { SecurityEvent } from "../../records/journal/journal.ts";
import { record } from "../../records/journal/journal.ts";
import { findLastUndoEnd } from "../../records/mail-link/store.ts";
import { deleteMailsToStrangers } from "../../records/mail/store.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { forgetCountsOfAccount } from "../../records/throttle/store.ts";
import { clearCountsOf } from "../../records/throttle/throttle.ts";
import { leavingAnOperator } from "../operator/last-one.ts";
import { applyRecoveryRule } from "../recovery/end.ts";
import { tellOfClosing } from "../recovery/undo-link.ts";
import { consultOrRecord } from "./consult.ts";

/**
 * Erases oneself: closed at once, and the rows go after `accounts.eraseAfter`; until then a link to the proved address
 * stops it.
 * @throws ProblemReply `reauthenticate`, `invalid-fields` for an operator, `refused-by-application`, `application-unresponsive`.
 */
export async function eraseOwnAccount(
  context: ServiceContext,
  caller: LiveSession,
  visit: RequestOrigin,
): Promise<void> {
  const { account } = caller;
  await assertFresh(context, caller);
  if (account.labels.includes(OPERATOR_LABEL)) throw fieldProblem([fieldError("labels", "operator-erased")]);
  const { id: accountId } = account;
  const { eraseAfter } = context.configuration.accounts;
  await consultOrRecord(context, { type: "account.erase", by: "person", account }, visit);
  await changeOwn(context, caller, async ({ manager, account: locked, now }) => {
    if (locked.labels.includes(OPERATOR_LABEL)) throw fieldProblem([fieldError("labels", "operator-erased")]);
    // Whoever could still undo what was changed before keeps the rows for it.
    const lastUndo = await findLastUndoEnd(manager, accountId, now);
    if (eraseAfter === 0 && lastUndo === null) {
      await eraseRows(context, grant(manager), locked, { by: { reason: "by-owner" }, visit });
      return;
    }
    await updateAccount(manager, accountId, {
      state: "closed",
      eraseAt: new Date(Math.max(now.getTime() + eraseAfter, lastUndo?.getTime() ?? 0)),
    });
    await applyRecoveryRule(context, manager, { accountId, event: "closed", now });
    const event = { kind: "account.closed", reason: "by-owner", accountId } as const;
    await record(context, manager, { event, visit, now });
    await tellOfClosing(context, manager, { account: locked, visit, now });
  });
}

/**
 * An operator erases somebody, at once.
 * @throws ProblemReply `not-found`, `invalid-fields` for one's own account, `last-operator`, `refused-by-application`, `application-unresponsive`.
 */
export async function eraseAccount(
  context: ServiceContext,
  operator: LiveSession,
  id: string,
  visit: RequestOrigin,
): Promise<void> {
  const account = await findAccount(context.dataSource, id);
  if (account === null) throw new ProblemReply("not-found");
  if (id === operator.account.id) throw fieldProblem([fieldError("id", "own-account-erased")]);
  await consultOrRecord(context, { type: "account.erase", by: "operator", account }, visit);
  await changeAsOperator(context, operator, async ({ manager }) => {
    const erase = async () => {
      const locked = await lockAccount(manager, id);
      if (locked === null) throw new ProblemReply("not-found");
      await eraseRows(context, manager, locked, { by: { actorId: operator.account.id }, visit });
    };
    await (account.labels.includes(OPERATOR_LABEL) ? leavingAnOperator(context, manager, erase) : erase());
  });
}

/** Nobody asks: the time that the owner had is over. */
const NOBODY: RequestOrigin = { network: null, userAgent: null, requestId: "erasing", appId: null };

/** Erases those whose time is over, some at a time. */
export async function eraseClosed(dataSource: DataSource, now: Date, context: ServiceContext): Promise<void> {
  for (const { id } of await listToErase(dataSource, now)) {
    await inTransaction(dataSource, async (manager) => {
      const locked = await lockAccount(manager, id);
      // Whoever stopped it at the last moment keeps the account.
      if (locked?.state !== "closed" || locked.eraseAt === null || locked.eraseAt > now) return;
      await eraseRows(context, grant(manager), locked, { by: { reason: "by-owner" }, visit: NOBODY });
    });
  }
}

/** Every row goes; the journal keeps what happened under an id that names nobody any more. */
async function eraseRows(
  context: ServiceContext,
  manager: Granted,
  account: AccountRow,
  { by, visit }: { by: Pick<SecurityEvent, "reason" | "actorId">; visit: RequestOrigin },
): Promise<void> {
  const { id: accountId, email, emailKey } = account;
  // Recorded first: the notice of it still carries the application's reference.
  const event = { kind: "account.erased", accountId, ...by } as const;
  await record(context, manager, { event, visit, now: context.clock.now() });
  await clearCountsOf(context, manager, account);
  await forgetCountsOfAccount(manager, accountId);
  if (emailKey !== null) await deleteRegistrationsOf(manager, emailKey);
  if (email !== null) await deleteMailsToStrangers(manager, email);
  await deleteAccount(manager, accountId);
}
