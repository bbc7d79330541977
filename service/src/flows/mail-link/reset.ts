/** A new password by a mailed link. */
import { NO_GROUNDS } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import type { AccountRow, MailLinkRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { applyRecoveryRule } from "../../people/recovery/end.ts";
import { setOwnPassword } from "../../people/recovery/own-password.ts";
import { OWN_PASSWORD, updateAccount } from "../../records/account/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { secondFactorsOf } from "../../records/second-factor/offered.ts";
import { giveTriesAfterReset } from "../../records/throttle/throttle.ts";
import type { ShownFromBefore } from "./former.ts";
import { assertFromBefore, protectedSetUp, wantingOf } from "./former.ts";
import type { LinkOfAccount } from "./new-password.ts";
import { makeNewRecord, spendForAccount } from "./new-password.ts";
import { proveAddress } from "./prove.ts";
import type { Redeemed, Redemption } from "./redemption.ts";

/**
 * Sets a new password. It signs nobody in, and ends what an intruder may hold: sessions, sign-ins in progress, known
 * devices, other links. A refused password spends nothing. Where it proves the address for the first time, that decides what stays.
 */
export async function resetPassword(
  context: ServiceContext,
  of: LinkOfAccount,
  redemption: Redemption,
): Promise<Redeemed> {
  const { link, account: read } = of;
  if (read === null) throw new ProblemReply("link-unknown");
  const { password, visit, marks, notMine = [] } = redemption;
  const setUp =
    read.emailVerifiedAt === null ? await showSetUpOf(context, { link, account: read }, redemption) : null;
  const made = await makeNewRecord(context, password, { link, person: read, visit });
  await inTransaction(context.dataSource, async (outside) => {
    const now = context.clock.now();
    const { account, manager } = await spendForAccount(outside, of, now);
    const { id: accountId } = account;
    await setUp?.spend(manager, now);
    const { mark } = marks;
    await setOwnPassword(context, manager, { account, made, shown: setUp?.grounds ?? NO_GROUNDS, mark, now });
    await updateAccount(manager, accountId, OWN_PASSWORD);
    await applyRecoveryRule(context, manager, { accountId, event: "password-reset", now });
    const prover = { isSame: setUp !== null, keepsPassword: true, notMine };
    const proved = await proveAddress(context, manager, {
      account: { ...account, ...OWN_PASSWORD },
      prover,
      visit,
    });
    const event = { kind: "password.reset", accountId } as const;
    await recordAndTell(context, manager, { event, readers: { owner: proved }, visit, now });
  });
  if ((await secondFactorsOf(context.dataSource.manager, read.id)).length > 0)
    await giveTriesAfterReset(context, read.id);
  return { outcome: "password-set" };
}

/** What was shown of what is set up; `null`: nothing, in a browser that did not register. */
async function showSetUpOf(
  context: ServiceContext,
  of: { link: MailLinkRow; account: AccountRow },
  redemption: Redemption,
): Promise<ShownFromBefore | null> {
  const guarded = await protectedSetUp(context, of);
  const isElsewhere = wantingOf(guarded, redemption.marks.mark).isWanted;
  if (isElsewhere && redemption.present === undefined) return null;
  return assertFromBefore(context, guarded, redemption);
}
