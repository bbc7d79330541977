/** A new password by a mailed link. */
import { NO_GROUNDS } from "@lucchetto/core";
import { OWN_PASSWORD, updateAccount } from "../account/store.ts";
import type { ServiceContext } from "../context.ts";
import { record } from "../journal/journal.ts";
import { tellOwner } from "../mail/notices.ts";
import { ProblemReply } from "../problem.ts";
import { secondFactorsOf } from "../proof/index.ts";
import { endAsRuled } from "../recovery/end.ts";
import { setOwnPassword } from "../recovery/own-password.ts";
import { deleteSecondFactorsOf } from "../second-factor/store.ts";
import { inTransaction } from "../storage/index.ts";
import { giveTriesAfterReset } from "../throttle/throttle.ts";
import type { LinkOfAccount } from "./new-password.ts";
import { makeNewRecord, spendForAccount } from "./new-password.ts";
import { forNewOwner } from "./prove.ts";
import type { Redeemed, Redemption } from "./redemption.ts";

/**
 * Sets a new password. It signs nobody in, and ends what an intruder may hold: sessions, sign-ins in progress, known
 * devices, other links. A refused password spends nothing.
 */
export async function resetPassword(
  context: ServiceContext,
  of: LinkOfAccount,
  { password, visit, marks }: Redemption,
): Promise<Redeemed> {
  if (of.account === null) throw new ProblemReply("link-unknown");
  const made = await makeNewRecord(context, password, of.account);
  await inTransaction(context.dataSource, async (manager) => {
    const now = context.clock.now();
    const account = await spendForAccount(manager, of, now);
    const { id: accountId } = account;
    const { mark } = marks;
    await setOwnPassword(context, manager, { account, made, shown: NO_GROUNDS, mark, now });
    const isFirstProof = account.emailVerifiedAt === null;
    await updateAccount(manager, accountId, {
      ...OWN_PASSWORD,
      ...(isFirstProof ? { emailVerifiedAt: now, ...forNewOwner(account) } : {}),
    });
    await endAsRuled(context, manager, { accountId, event: "password-reset", now });
    await record(context, manager, { event: { kind: "password.reset", accountId }, visit, now });
    // The first proof of the address keeps nothing that whoever registered it set up.
    if (isFirstProof) {
      if (account.isOpenlyRegistered) await deleteSecondFactorsOf(manager, accountId);
      await record(context, manager, { event: { kind: "email.verified", accountId }, visit, now });
    }
    await tellOwner(context, manager, { name: "password-reset", account, visit });
  });
  const { id } = of.account;
  if ((await secondFactorsOf(context.dataSource.manager, id)).length > 0)
    await giveTriesAfterReset(context, id);
  return { outcome: "password-set" };
}
