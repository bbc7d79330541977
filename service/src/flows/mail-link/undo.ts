/** Taking a change back that was not the owner's: of the address, of a second factor, or the erasing of the account. */
import type { ChangeUndone, Identifier, RecoveryEvent, UndoPurpose } from "@lucchetto/core";
import { intruderSince, readEmail, readUsername, UNDO_PURPOSES, undoOfFactor } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { ProblemReply } from "../../base/problem.ts";
import type { AccountRow, Granted, MailLinkRow } from "../../base/storage/index.ts";
import { inTransaction, isDuplicateOf } from "../../base/storage/index.ts";
import { applyRecoveryRule } from "../../people/recovery/end.ts";
import { sinceOf } from "../../people/recovery/grounds.ts";
import { setOwnPassword } from "../../people/recovery/own-password.ts";
import { isHeldFor, releaseName } from "../../records/account/held.ts";
import { OWN_PASSWORD, updateAccount } from "../../records/account/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import type { SecurityEvent } from "../../records/journal/journal.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { findFirstUndo, voidUndoLinks } from "../../records/mail-link/store.ts";
import { restoreFactors } from "../../records/second-factor/store.ts";
import { assertFromBefore, changeOf, factorsThat, protectedBefore, readFactors } from "./former.ts";
import type { LinkOfAccount } from "./new-password.ts";
import { makeNewRecord, spendForAccount } from "./new-password.ts";
import type { Redeemed, Redemption } from "./redemption.ts";

interface Undoing {
  readonly event: RecoveryEvent;
  readonly kind: SecurityEvent["kind"];
}

const UNDOINGS: Readonly<Record<UndoPurpose, Undoing>> = {
  "undo-change": { event: "change-undone", kind: "email.change-undone" },
  "undo-factor": {
    event: "factor-undone",
    kind: "second-factor.change-undone",
  },
  "undo-erase": { event: "erasing-stopped", kind: "account.reopened" },
};

/**
 * Undoes it, if one thing from before came along. Of the address and of a factor: the present password dies with all that
 * whoever changed it may hold; a new one takes its place, or none, and then one is asked for by mail.
 * @throws ProblemReply `earlier-proof-required`, `invalid-fields`, `throttled`, `too-busy`, `address-taken`, `link-…`.
 */
export async function undo(
  context: ServiceContext,
  { link, account: read }: LinkOfAccount,
  purpose: UndoPurpose,
  redemption: Redemption,
): Promise<Redeemed> {
  const email = readEmail(link.formerEmail ?? link.newEmail ?? "");
  if (read === null || email === null) throw new ProblemReply("link-unknown");
  const shown = await assertFromBefore(
    context,
    await protectedBefore(context, { link, account: read }),
    redemption,
  );
  const { password, visit, marks } = redemption;
  const made =
    password === undefined ? null : await makeNewRecord(context, password, { link, person: read, visit });
  const { event, kind } = UNDOINGS[purpose];
  await inTransaction(context.dataSource, async (outside) => {
    const now = context.clock.now();
    const { account, manager } = await spendForAccount(outside, { link, account: read }, now);
    const { id: accountId } = account;
    await shown.spend(manager, now);
    const change = changeOf({ ...link, purpose });
    const firstUndo = await findFirstUndo(manager, { accountId, since: change.at, except: link.id });
    await applyRecoveryRule(context, manager, { accountId, event, now, ownSince: firstUndo });
    const end = firstUndo ?? now;
    const restored = await restore(manager, { account, link, change, end, now });
    if (made !== null) {
      const { mark } = marks;
      await setOwnPassword(context, manager, { account, made, shown: shown.grounds, mark, now });
    }
    await voidUndone(manager, { accountId, change, end, now });
    const owner = { ...account, ...restored };
    await recordAndTell(context, manager, { event: { kind, accountId }, readers: { owner }, visit, now });
  });
  switch (purpose) {
    case "undo-change":
      return { outcome: "change-undone", email: email.shown };
    case "undo-factor":
      return { outcome: "factor-undone" };
    case "undo-erase":
      return { outcome: "erasing-stopped" };
  }
}

/** A change that is undone, and what lies between it and the account's first undo since: all else stays as it is. */
interface Undone {
  readonly change: ChangeUndone;
  readonly end: Date;
  readonly now: Date;
}

/** Links of what is undone with it do nothing more. */
async function voidUndone(
  manager: Granted,
  { accountId, change, end, now }: Undone & { accountId: string },
): Promise<void> {
  const between = { since: change.at, until: end };
  if (change.of === "erasure") {
    await voidUndoLinks(manager, { accountId, purposes: ["undo-erase"], ...between, now });
    return;
  }
  await voidUndoLinks(manager, { accountId, purposes: UNDO_PURPOSES, ...between, now });
  const prepared = { since: intruderSince(change), until: change.at };
  await voidUndoLinks(manager, { accountId, purposes: ["undo-factor"], ...prepared, now });
}

/** Puts address, username, factors and state back. @returns what became of the account. */
async function restore(
  manager: Granted,
  { account, link, change, end, now }: Undone & { account: AccountRow; link: MailLinkRow },
): Promise<Partial<AccountRow>> {
  const { id: accountId } = account;
  const reopened = account.state === "closed" ? ({ state: "active", eraseAt: null } as const) : {};
  if (change.of === "erasure") {
    await updateAccount(manager, accountId, reopened);
    return reopened;
  }
  const start = intruderSince(change);
  const factors = await readFactors(manager, accountId);
  const becoming = (what: ReturnType<typeof undoOfFactor>) =>
    factorsThat(
      factors,
      (row) => undoOfFactor({ since: sinceOf(row), removedAt: row.removedAt }, { start, end }) === what,
    );
  await restoreFactors(manager, accountId, { back: becoming("comes-back"), gone: becoming("goes") });
  const username = await usernameBefore(manager, { account, link, end, now });
  const others = { ...reopened, ...OWN_PASSWORD, wantsMailedProof: false, ...username };
  const email = await addressBefore(manager, { account, link, change, end, now });
  if (email === null) {
    await updateAccount(manager, accountId, others);
    return others;
  }
  const restored = { ...others, email: email.shown, emailKey: email.key, emailVerifiedAt: now };
  try {
    await updateAccount(manager, accountId, restored);
  } catch (error) {
    throw isDuplicateOf(error, "account_email") ? new ProblemReply("address-taken") : error;
  }
  await releaseName(manager, { kind: "email", key: email.key });
  return restored;
}

/** The address that comes back; `null`: the present one stays. */
async function addressBefore(
  manager: EntityManager,
  { account, link, change, end, now }: Undone & { account: AccountRow; link: MailLinkRow },
): Promise<Identifier<"email"> | null> {
  // Set after the first undo it is the owner's own.
  if (account.emailSetAt !== null && account.emailSetAt >= end) return null;
  const email = readEmail(link.formerEmail ?? "");
  if (email === null) return null;
  // Whoever reads the mail proves its own address by it; another one was proved if it is held.
  const isProved =
    (change.of === "identifier" && link.newEmail === link.formerEmail) ||
    (await isHeldFor(manager, { kind: "email", key: email.key }, { accountId: account.id, now }));
  return isProved ? email : null;
}

/** The username that comes back, if it was changed and is still held. */
async function usernameBefore(
  manager: EntityManager,
  {
    account: { id: accountId, username, usernameSetAt },
    link: { formerUsername },
    end,
    now,
  }: Pick<Undone, "end" | "now"> & { account: AccountRow; link: MailLinkRow },
): Promise<Pick<AccountRow, "username" | "usernameKey"> | Record<string, never>> {
  if (formerUsername === username || (usernameSetAt !== null && usernameSetAt >= end)) return {};
  if (formerUsername === null) return { username: null, usernameKey: null };
  const former = readUsername(formerUsername);
  if (former === null) return {};
  const name = { kind: "username", key: former.key } as const;
  if (!(await isHeldFor(manager, name, { accountId, now }))) return {};
  await releaseName(manager, name);
  return { username: former.shown, usernameKey: former.key };
}
