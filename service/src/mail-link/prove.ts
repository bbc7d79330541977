/** The first proof of an address keeps nothing that whoever registered it set up before. */
import type { EntityManager } from "typeorm";
import { OWN_PASSWORD, updateAccount } from "../account/store.ts";
import type { ServiceContext, Visit } from "../context.ts";
import { record } from "../journal/journal.ts";
import type { NewRecord } from "../password/store.ts";
import { SET_WITH_NOTHING, setRecord } from "../password/store.ts";
import { endAsRuled } from "../recovery/end.ts";
import { deleteSecondFactorsOf } from "../second-factor/store.ts";
import type { AccountRow } from "../storage/index.ts";

/**
 * How whoever proves the address stands to whoever registered: the same person (the same browser, or the password from
 * the registration), or perhaps not. Then everything from before goes, and a new password may take its place.
 */
export type Prover =
  | { readonly isSame: true }
  | { readonly isSame: false; readonly newRecord: NewRecord | null };

/** Marks the address of a locked account as proved. A later proof changes nothing. */
export async function proveAddress(
  context: ServiceContext,
  manager: EntityManager,
  { account, prover, visit }: { account: AccountRow; prover: Prover; visit: Visit },
): Promise<AccountRow> {
  if (account.emailVerifiedAt !== null) return account;
  const now = context.clock.now();
  const { id: accountId } = account;
  if (!prover.isSame) {
    await endAsRuled(context, manager, { accountId, event: "address-proved", now });
    if (account.isOpenlyRegistered) await deleteSecondFactorsOf(manager, accountId);
    if (prover.newRecord !== null)
      await setRecord(manager, { accountId, made: prover.newRecord, now, set: SET_WITH_NOTHING });
  }
  const proved = { emailVerifiedAt: now, ...(prover.isSame ? {} : forNewOwner(account)) };
  await updateAccount(manager, accountId, proved);
  const reason = prover.isSame ? "same" : "other-browser";
  await record(context, manager, { event: { kind: "email.verified", accountId, reason }, visit, now });
  return { ...account, ...proved };
}

/** What whoever registered an account for themselves was given does not pass to whoever proves its address. */
export function forNewOwner({
  isOpenlyRegistered,
}: Pick<AccountRow, "isOpenlyRegistered">): Partial<AccountRow> {
  return { ...OWN_PASSWORD, ...(isOpenlyRegistered ? { labels: [], reference: null } : {}) };
}
