/** A new password that comes with a link: judged and hashed before any transaction. */
import { fieldError } from "@lucchetto/contract";
import type { EntityManager } from "typeorm";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import type { AccountRow, Granted, MailLinkRow } from "../../base/storage/index.ts";
import type { Person } from "../../people/password/password.ts";
import { judge, makeRecordOf } from "../../people/password/password.ts";
import { lockAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { spendLink } from "../../records/mail-link/store.ts";
import type { NewRecord } from "../../records/password/store.ts";
import { reserveLinkHashing } from "../../records/throttle/throttle.ts";

/** A link with the account that it belongs to. */
export interface LinkOfAccount {
  readonly link: MailLinkRow;
  readonly account: AccountRow | null;
}

/** @returns the record. @throws ProblemReply `invalid-fields`, `throttled`, `too-busy`. */
export async function makeNewRecord(
  context: ServiceContext,
  typed: string | undefined,
  { link, person, visit: { network } }: { link: MailLinkRow; person: Person; visit: RequestOrigin },
): Promise<NewRecord> {
  if (typed === undefined) throw fieldProblem([fieldError("password", "password-missing")]);
  const verdict = await judge(context, typed, person);
  if (!verdict.ok) throw fieldProblem([fieldError("password", verdict.code, verdict.parameters)]);
  const asker = await reserveLinkHashing(context, { linkId: link.id, network });
  return makeRecordOf(context, verdict, asker);
}

/** Locks the account and spends the link; whoever comes second, or after a change of the account, does nothing. */
export async function spendForAccount(
  manager: EntityManager,
  { link, account }: LinkOfAccount,
  now: Date,
): Promise<{ account: AccountRow; manager: Granted }> {
  const locked = account === null ? null : await lockAccount(manager, account.id);
  if (locked === null || locked.state !== account?.state || locked.emailKey !== account.emailKey)
    throw new ProblemReply("link-unknown");
  const granted = await spendLink(manager, link.id, now);
  if (granted === null) throw new ProblemReply("link-used");
  return { account: locked, manager: granted };
}
