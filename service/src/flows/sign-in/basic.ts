/**
 * A person's own password that a script sent to an application as HTTP Basic (RFC 7617). It counts like a sign-in, and
 * nothing comes of it but the answer: no session, no device mark. Whoever would be asked for more than a password is
 * refused, for nobody can be asked here.
 */
import type { Account } from "@lucchetto/contract";
import { ProblemReply } from "../../base/problem.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { storeRemade } from "../../people/password/password.ts";
import { showAccount } from "../../records/account/show.ts";
import type { ServiceContext } from "../../records/context.ts";
import { clearCountsOf } from "../../records/throttle/throttle.ts";
import type { ShownPassword } from "./sign-in.ts";
import { lockUnchanged, provePassword, recordRefusal, refuse } from "./sign-in.ts";

/** Whose it is. @throws ProblemReply as `provePassword`. */
export async function checkBasicPassword(
  context: ServiceContext,
  shown: Omit<ShownPassword, "mark">,
): Promise<Account> {
  const { account, row, reserved, remade, decision, began } = await provePassword(context, {
    ...shown,
    mark: undefined,
  }).catch(asOneRefusal);
  const { visit } = shown;
  if (decision.wanted.length > 0) {
    await reserved.giveBack();
    await recordRefusal(context, { accountId: account.id, reason: "more-wanted", visit });
    return refuse(context, began);
  }
  const unchanged = await inTransaction(context.dataSource, async (manager) => {
    const locked = await lockUnchanged(manager, account, row);
    if (locked === null) return null;
    if (remade !== null)
      await storeRemade(context, manager, { row, remade, visit, now: context.clock.now() });
    await reserved.succeed(manager);
    await clearCountsOf(context, manager, account);
    return locked;
  });
  return unchanged === null ? refuse(context, began) : showAccount(unchanged);
}

/** That the password alone opens nothing is no more than any other refusal to an application. */
function asOneRefusal(error: unknown): never {
  if (error instanceof ProblemReply && error.code === "operator-needed")
    throw new ProblemReply("sign-in-refused");
  throw error;
}
