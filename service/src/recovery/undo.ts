/** Taking a change back that was not the owner's: of the address, of a second factor, or the erasing of the account. */
import type { RecoveryEvent, UndoPurpose } from "@lucchetto/core";
import { intruderSince, readEmail } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { releaseAddress } from "../account/held-address.ts";
import { OWN_PASSWORD, updateAccount } from "../account/store.ts";
import type { ServiceContext } from "../context.ts";
import type { SecurityEvent } from "../journal/journal.ts";
import { record } from "../journal/journal.ts";
import type { Notice } from "../mail/notices.ts";
import { tellOwner } from "../mail/notices.ts";
import type { LinkOfAccount } from "../mail-link/new-password.ts";
import { makeNewRecord, spendForAccount } from "../mail-link/new-password.ts";
import type { Redeemed, Redemption } from "../mail-link/redemption.ts";
import { voidUndoLinksSince } from "../mail-link/store.ts";
import { setRecord } from "../password/store.ts";
import { ProblemReply } from "../problem.ts";
import { restoreFactors } from "../second-factor/store.ts";
import type { AccountRow, MailLinkRow } from "../storage/index.ts";
import { inTransaction, isDuplicateOf } from "../storage/index.ts";
import { endAsRuled } from "./end.ts";
import { assertFromBefore, changeOf, protectedBefore, readStanding } from "./former.ts";

interface Undoing {
  readonly event: RecoveryEvent;
  readonly kind: SecurityEvent["kind"];
  readonly notice: Notice;
  /** Later links of these undo what is undone with it. */
  readonly voids: readonly UndoPurpose[];
}

const UNDOINGS: Readonly<Record<UndoPurpose, Undoing>> = {
  "undo-change": {
    event: "change-undone",
    kind: "email.change-undone",
    notice: "email-restored",
    voids: ["undo-change", "undo-factor", "undo-erase"],
  },
  // An address that was changed since stays to be restored.
  "undo-factor": {
    event: "factor-undone",
    kind: "second-factor.change-undone",
    notice: "second-factor-restored",
    voids: ["undo-factor", "undo-erase"],
  },
  "undo-erase": {
    event: "erasing-stopped",
    kind: "account.reopened",
    notice: "account-reopened",
    voids: ["undo-erase"],
  },
};

/**
 * Undoes it, if one thing from before came along. Of the address and of a factor: the present password dies with all that
 * whoever changed it may hold; a new one takes its place, or none, and then one is asked for by mail.
 * @throws ProblemReply `thing-from-before-wanted`, `invalid-fields`, `throttled`, `too-busy`, `address-taken`, `link-…`.
 */
export async function undo(
  context: ServiceContext,
  { link, account: read }: LinkOfAccount,
  purpose: UndoPurpose,
  redemption: Redemption,
): Promise<Redeemed> {
  const email = readEmail(link.newEmail ?? "");
  if (read === null || email === null) throw new ProblemReply("link-unknown");
  const spendShown = await assertFromBefore(
    context,
    protectedBefore({ link, account: read }, purpose),
    redemption,
  );
  const { password, visit } = redemption;
  const made = password === undefined ? null : await makeNewRecord(context, password, read);
  const { event, kind, notice, voids } = UNDOINGS[purpose];
  await inTransaction(context.dataSource, async (manager) => {
    const now = context.clock.now();
    const account = await spendForAccount(manager, { link, account: read }, now);
    const { id: accountId } = account;
    await spendShown(manager, now);
    await endAsRuled(context, manager, { accountId, event, now });
    const restored = await restore(manager, { account, link, purpose, now });
    if (made !== null) await setRecord(manager, { accountId, made, now });
    const change = changeOf({ ...link, purpose });
    for (const voided of voids) {
      const since = voided === "undo-factor" ? intruderSince(change) : change.at;
      await voidUndoLinksSince(manager, { accountId, purpose: voided, since, now });
    }
    await record(context, manager, { event: { kind, accountId }, visit, now });
    await tellOwner(context, manager, { name: notice, account: { ...account, ...restored }, visit });
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

/** Puts address, factors and state back. @returns what became of the account. */
async function restore(
  manager: EntityManager,
  {
    account,
    link,
    purpose,
    now,
  }: { account: AccountRow; link: MailLinkRow; purpose: UndoPurpose; now: Date },
): Promise<Partial<AccountRow>> {
  const { id: accountId } = account;
  const reopened = account.state === "closed" ? ({ state: "active", eraseAt: null } as const) : {};
  if (purpose === "undo-erase") {
    await updateAccount(manager, accountId, reopened);
    return reopened;
  }
  const change = changeOf({ ...link, purpose });
  await restoreFactors(manager, accountId, await readStanding(manager, accountId, change));
  const others = { ...reopened, ...OWN_PASSWORD, wantsMailedProof: false };
  const email = purpose === "undo-change" ? readEmail(link.newEmail ?? "") : null;
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
  await releaseAddress(manager, email.key);
  return restored;
}
