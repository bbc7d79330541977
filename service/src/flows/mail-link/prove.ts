/**
 * The first proof of an address decides what was set up before it. In the browser that registered, or for whoever shows something that was
 * set up there, all stays; elsewhere only what an import or an operator brought. Whatever goes is journalled, mailed, and told to applications.
 */
import type { SetUpThing } from "@lucchetto/contract";
import type { EntityManager } from "typeorm";
import type { AccountRow, Granted, PasswordRecordRow } from "../../base/storage/index.ts";
import { applyRecoveryRule } from "../../people/recovery/end.ts";
import { listAccessKeysOf } from "../../records/access-key/store.ts";
import { OWN_PASSWORD, updateAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { deletePasskeysOf, listPasskeys } from "../../records/passkey/store.ts";
import type { NewRecord } from "../../records/password/store.ts";
import { lockRecord, SET_WITH_NOTHING, setRecord } from "../../records/password/store.ts";
import {
  deleteAuthenticatorsOf,
  deleteCodesOf,
  hasSecondFactor,
  listConfirmed,
  listLivingCodes,
} from "../../records/second-factor/store.ts";

/** Something that was set up before the address was proved, and who brought it. */
interface SetUp extends SetUpThing {
  /** An import or an operator, and not whoever was in the account. */
  readonly isBrought: boolean;
}

/** How whoever proves the address stands to whoever set the account up. */
export interface Prover {
  /** The same person: the browser that registered, or something set up there was shown. */
  readonly isSame: boolean;
  /** A password that takes the place of whatever stood there. */
  readonly newRecord?: NewRecord | null;
  /** The password that stands was shown, or was set by this proof: it stays. */
  readonly keepsPassword?: boolean;
  /** Ids of what whoever proves it says is not theirs. */
  readonly notMine?: readonly string[];
  /** The sign-in in which it is proved: it goes on. */
  readonly signInId?: string | null;
}

/** What was set up, and what becomes of it. */
interface Parting {
  readonly stays: readonly SetUp[];
  readonly goes: readonly SetUp[];
}

/** Says what becomes of what was set up, before it is done. */
export async function partSetUp(
  manager: EntityManager,
  account: AccountRow,
  { isSame, notMine = [] }: Pick<Prover, "isSame" | "notMine">,
): Promise<Parting> {
  const things = await listSetUp(manager, account);
  const stays = ({ kind, id, isBrought }: SetUp): boolean =>
    kind !== "access-key" && (isSame || isBrought) && !notMine.includes(id);
  return { stays: things.filter(stays), goes: things.filter((one) => !stays(one)) };
}

async function listSetUp(manager: EntityManager, account: AccountRow): Promise<SetUp[]> {
  const { id: accountId, isOpenlyRegistered, labels, reference } = account;
  const isBrought = (row: { readonly provedSince: Date | null }): boolean =>
    !isOpenlyRegistered && row.provedSince === null;
  const authenticators = await listConfirmed(manager, accountId);
  const passkeys = await listPasskeys(manager, accountId);
  const codes = await listLivingCodes(manager, accountId);
  const keys = await listAccessKeysOf(manager, accountId);
  const [code] = codes;
  const things: SetUp[] = [
    ...authenticators.map((row) => ({
      ...{ kind: "authenticator" as const, id: row.id, name: row.name },
      at: (row.activatedAt ?? row.createdAt).toISOString(),
      isBrought: isBrought(row),
    })),
    ...passkeys.map((row) => ({
      ...{ kind: "passkey" as const, id: row.id, name: row.name, at: row.createdAt.toISOString() },
      isBrought: isBrought(row),
    })),
    ...(code === undefined
      ? []
      : [
          {
            ...{ kind: "recovery-codes" as const, id: "recovery-codes", name: null },
            at: code.createdAt.toISOString(),
            isBrought: codes.every(isBrought),
          },
        ]),
    ...keys.map((row) => ({
      ...{ kind: "access-key" as const, id: row.id, name: row.name, at: row.createdAt.toISOString() },
      isBrought: false,
    })),
  ];
  if (labels.length > 0)
    things.push({
      ...{ kind: "labels", id: "labels", name: labels.join(", "), at: null },
      isBrought: !isOpenlyRegistered,
    });
  if (reference !== null)
    things.push({
      ...{ kind: "reference", id: "reference", name: reference, at: null },
      isBrought: !isOpenlyRegistered,
    });
  return things;
}

/** Whether an account's password is one that an import or an operator gave it. */
function isBroughtPassword(
  { isOpenlyRegistered, firstPasswordUntil }: AccountRow,
  stands: PasswordRecordRow | null,
): boolean {
  if (isOpenlyRegistered || stands === null) return false;
  return stands.provedSince === null || firstPasswordUntil !== null;
}

/** Marks the address of a locked account as proved. A later proof changes nothing. @returns what became of the account. */
export async function proveAddress(
  context: ServiceContext,
  manager: Granted,
  { account, prover, visit }: { account: AccountRow; prover: Prover; visit: RequestOrigin },
): Promise<AccountRow> {
  if (account.emailVerifiedAt !== null) return account;
  const now = context.clock.now();
  const { id: accountId } = account;
  if (account.isAddressCorrected) {
    await updateAccount(manager, accountId, { emailVerifiedAt: now });
    const event = { kind: "email.verified", accountId, reason: "corrected" } as const;
    await record(context, manager, { event, visit, now });
    return { ...account, emailVerifiedAt: now };
  }
  const { isSame, newRecord = null, keepsPassword = false, signInId = null } = prover;
  const { goes } = await partSetUp(manager, account, prover);
  const staysPassword =
    isSame || keepsPassword || isBroughtPassword(account, await lockRecord(manager, accountId));
  await applyRecoveryRule(context, manager, {
    ...{ accountId, event: isSame ? "address-proved-here" : "address-proved", now },
    ...{ exceptSignIn: signInId },
    keeps: staysPassword ? ["password"] : [],
  });
  await removeSetUp(manager, accountId, goes);
  if (newRecord !== null)
    await setRecord(manager, { accountId, made: newRecord, now, set: SET_WITH_NOTHING });
  const gone = (kind: SetUp["kind"]) => goes.some((one) => one.kind === kind);
  const proved = {
    emailVerifiedAt: now,
    ...(staysPassword && newRecord === null ? {} : OWN_PASSWORD),
    ...(gone("labels") ? { labels: [] } : {}),
    ...(gone("reference") ? { reference: null } : {}),
  };
  await updateAccount(manager, accountId, proved);
  const reason = isSame ? "same" : "other-browser";
  await record(context, manager, { event: { kind: "email.verified", accountId, reason }, visit, now });
  const after = { ...account, ...proved };
  if (goes.length === 0) return after;
  const what = [...new Set(goes.map(({ kind }) => kind))].join(" ");
  await recordAndTell(context, manager, {
    event: { kind: "account.set-up-removed", accountId, reason: what },
    readers: { owner: after },
    visit,
    now,
  });
  return after;
}

async function removeSetUp(manager: Granted, accountId: string, goes: readonly SetUp[]): Promise<void> {
  const idsOf = (kind: SetUp["kind"]) => goes.filter((one) => one.kind === kind).map(({ id }) => id);
  await deleteAuthenticatorsOf(manager, accountId, idsOf("authenticator"));
  await deletePasskeysOf(manager, accountId, idsOf("passkey"));
  // Without a second factor codes stand in for nothing.
  if (idsOf("recovery-codes").length > 0 || !(await hasSecondFactor(manager, accountId)))
    await deleteCodesOf(manager, accountId);
}

/** A thing without what only this module needs to know. */
export function showSetUp({ kind, id, name, at }: SetUp): SetUpThing {
  return { kind, id, name, at };
}
