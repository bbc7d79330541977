/** What an operator does for somebody who lost everything: with a reason, visibly to the owner and all other operators. */
import { fieldError } from "@lucchetto/contract";
import type { EntityManager } from "typeorm";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import type { AccountRow } from "../../base/storage/index.ts";
import { tellFormerAddress } from "../../flows/mail-link/change-email.ts";
import { readNewEmail } from "../../people/account/fields.ts";
import { takenProblem } from "../../people/account/operate.ts";
import { sendLink } from "../../people/mail-link/send.ts";
import { judge, makeRecordOf } from "../../people/password/password.ts";
import { applyRecoveryRule } from "../../people/recovery/end.ts";
import { tellOfFactor } from "../../people/recovery/undo-link.ts";
import {
  correctAddress,
  findAccount,
  firstPassword,
  lockAccount,
  updateAccount,
} from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { askerOf, changeAsOperator } from "../../records/granting/actor.ts";
import type { SecurityEvent } from "../../records/journal/journal.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { findLanding } from "../../records/mail-link/store.ts";
import { addresseeOf } from "../../records/mail/owner.ts";
import { SET_WITH_NOTHING, setRecord } from "../../records/password/store.ts";
import { removeSecondFactorsOf } from "../../records/second-factor/store.ts";
import type { LiveSession } from "../../records/session/store.ts";

/** Whom an operator helps, why, and from where. */
interface Help {
  readonly id: string;
  /** Kept in the journal, and told to the other operators. */
  readonly reason: string;
  readonly visit: RequestOrigin;
}

/**
 * Removes the second factor. What was removed is kept for a while, so that the owner can undo it.
 * @throws ProblemReply `not-found`, `second-factor-missing`, `invalid-fields`.
 */
export async function removeSecondFactor(
  context: ServiceContext,
  operator: LiveSession,
  help: Help,
): Promise<AccountRow> {
  const { id, visit } = help;
  assertReason(help);
  assertOther(operator, id, "own-second-factor");
  return changeAsOperator(
    context,
    operator,
    async ({ manager, now }) => {
      const account = await lockForHelp(manager, id);
      if (!(await removeSecondFactorsOf(manager, id, now))) throw new ProblemReply("second-factor-missing");
      const changed = { wantsMailedProof: true };
      await updateAccount(manager, id, changed);
      await applyRecoveryRule(context, manager, { accountId: id, event: "factor-removed-by-operator", now });
      await noteHelp(context, manager, {
        kind: "second-factor.removed-by-operator",
        account,
        operator,
        help,
      });
      await tellOfFactor(context, manager, { mail: "second-factor-removed", account, visit, now });
      return { ...account, ...changed };
    },
    { tells: true },
  );
}

/**
 * Gives the account another address, which has to be proved; the one before is told and can undo it.
 * @throws ProblemReply `not-found`, `invalid-fields`, `identifier-taken`.
 */
export async function correctEmail(
  context: ServiceContext,
  operator: LiveSession,
  { email: typed, ...help }: Help & { email: string },
): Promise<AccountRow> {
  const { id, visit } = help;
  assertReason(help);
  assertOther(operator, id, "own-address");
  const asked = await findAccount(context.dataSource, id);
  if (asked === null) throw new ProblemReply("not-found");
  const email = readNewEmail(context.configuration, asked, typed);
  try {
    return await changeAsOperator(
      context,
      operator,
      async ({ manager, now }) => {
        const account = await lockForHelp(manager, id);
        const corrected = { ...account, ...(await correctAddress(manager, id, { address: email, now })) };
        await applyRecoveryRule(context, manager, { accountId: id, event: "email-corrected", now });
        await noteHelp(context, manager, {
          kind: "email.corrected",
          account: corrected,
          operator,
          help,
        });
        await tellFormerAddress(context, manager, { account, address: email, visit, now });
        await sendLink(context, manager, {
          ...(account.state === "invited"
            ? { purpose: "invite" as const }
            : { purpose: "verify" as const, mail: "email-corrected" as const }),
          to: addresseeOf({ ...account, email: email.shown }),
          emailKey: email.key,
          returnTo: account.state === "invited" ? await findLanding(manager, id) : null,
          browserHash: null,
          visit,
          isWithinLimit: true,
        });
        return corrected;
      },
      { tells: true },
    );
  } catch (error) {
    throw takenProblem(error);
  }
}

/**
 * Gives a first password: enough by itself, once, for some days. The second factor stays and is asked for.
 * @throws ProblemReply `not-found`, `invalid-fields`, `too-busy`.
 */
export async function giveFirstPassword(
  context: ServiceContext,
  operator: LiveSession,
  { password, ...help }: Help & { password: string },
): Promise<AccountRow> {
  const { id, visit } = help;
  assertReason(help);
  assertOther(operator, id, "own-password");
  const asked = await findAccount(context.dataSource, id);
  if (asked === null) throw new ProblemReply("not-found");
  const verdict = await judge(context, password, asked);
  if (!verdict.ok) throw fieldProblem([fieldError("password", verdict.code, verdict.parameters)]);
  const made = await makeRecordOf(context, verdict, askerOf({ operator }, visit));
  return changeAsOperator(
    context,
    operator,
    async ({ manager, now }) => {
      const account = await lockForHelp(manager, id);
      await setRecord(manager, { accountId: id, made, now, set: SET_WITH_NOTHING });
      const changed = firstPassword(now);
      await updateAccount(manager, id, changed);
      await applyRecoveryRule(context, manager, { accountId: id, event: "password-wanted", now });
      await noteHelp(context, manager, {
        kind: "password.first-given",
        account,
        owner: account,
        operator,
        help,
      });
      return { ...account, ...changed };
    },
    { tells: true },
  );
}

function assertReason({ reason }: Help): void {
  if (reason.trim() === "") throw fieldProblem([fieldError("reason", "reason-missing")]);
}

/** For oneself there are the ways of the account page, which ask for more. */
function assertOther(
  { account }: LiveSession,
  id: string,
  fault: "own-second-factor" | "own-address" | "own-password",
): void {
  if (account.id === id) throw fieldProblem([fieldError("id", fault)]);
}

async function lockForHelp(manager: EntityManager, id: string): Promise<AccountRow> {
  const account = await lockAccount(manager, id);
  if (account === null || account.state === "closed") throw new ProblemReply("not-found");
  return account;
}

/** Into the journal, of which the other operators read. */
async function noteHelp(
  context: ServiceContext,
  manager: EntityManager,
  done: {
    kind: SecurityEvent["kind"];
    account: AccountRow;
    owner?: AccountRow;
    operator: LiveSession;
    help: Help;
  },
): Promise<void> {
  const { kind, account, owner, operator, help } = done;
  const { reason, visit } = help;
  const event = { kind, reason, accountId: account.id, actorId: operator.account.id } as const;
  const readers = { owner, operators: { about: account, by: operator.account } };
  await recordAndTell(context, manager, { event, readers, visit, now: context.clock.now() });
}
