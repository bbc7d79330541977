/** A sign-in in progress that got its first proof: there is a session, or more is wanted. */
import { PENDING_SIGN_IN_LIFE } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import type { SignInRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { findRegistration } from "../../records/account/registration-store.ts";
import { findAccount, lockAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { ruleOf, wantedBy } from "../../records/sign-in/rule.ts";
import { advanceSignIn, holdOpenSignIn, spendSignIn } from "../../records/sign-in/store.ts";
import { proveAddress } from "../mail-link/prove.ts";
import { completeRegistration, consulted } from "../mail-link/registration.ts";
import type { CheckedProof, ProofMethod, ShownProof } from "../proof/index.ts";
import type { Device } from "./complete.ts";
import { completeSignIn } from "./complete.ts";
import type { MovedOn } from "./pending.ts";
import { isWhoRegistered } from "./who-registered.ts";

/**
 * Goes on with a sign-in whose first proof is right: the address is proved by it, and an account that waited outside begins.
 * @throws ProblemReply `proof-refused`, `sign-in-lapsed`, `link-used`, `address-taken`, `refused-by-application`, `application-unresponsive`.
 */
export async function takeFirstProof(
  context: ServiceContext,
  pending: SignInRow,
  {
    method: { amr, level },
    proof,
    checked,
    visit,
    device,
  }: { method: ProofMethod; proof: ShownProof; checked: CheckedProof; visit: RequestOrigin; device: Device },
): Promise<MovedOn> {
  const { accountId, registrationId } = pending;
  const account = accountId === null ? null : await findAccount(context.dataSource, accountId);
  const waiting = registrationId === null ? null : await findRegistration(context.dataSource, registrationId);
  if (account === null && waiting === null) throw new ProblemReply("proof-refused");
  const isSame = account !== null && (await isWhoRegistered(context, account, { proof, visit, device }));
  const registration = waiting && (await consulted(context, waiting, visit));
  const notMine = proof.type === "mail-link" ? (proof.notMine ?? []) : [];
  return inTransaction(context.dataSource, async (manager) => {
    const now = context.clock.now();
    await checked.spend(manager, { account, visit, now });
    const locked =
      account === null && registration !== null
        ? // It began with this mail: there is nothing else of it.
          (
            await completeRegistration(context, manager, {
              registration,
              passwordRecord: null,
              passkey: null,
              visit,
            })
          ).account
        : await lockAccount(manager, account?.id ?? "");
    if (locked?.state !== "active") throw new ProblemReply("proof-refused");
    const granted = await holdOpenSignIn(manager, pending.id, now);
    if (granted === null) throw new ProblemReply("sign-in-lapsed");
    const proved = await proveAddress(context, granted, {
      account: locked,
      prover: { isSame, notMine, signInId: pending.id },
      visit,
    });
    const wanted = wantedBy(await ruleOf(context, manager, proved), amr);
    const isFirst =
      wanted.length === 0
        ? await spendSignIn(manager, pending.id, now)
        : await advanceSignIn(manager, pending.id, {
            amr: [...amr],
            grounds: checked.grounds,
            expiresAt: new Date(now.getTime() + PENDING_SIGN_IN_LIFE),
            now,
          });
    // Whoever comes second with the same proof gets nothing.
    if (!isFirst) throw new ProblemReply("sign-in-lapsed");
    const { returnTo, kind } = pending;
    if (wanted.length > 0) {
      const expiresAt = new Date(now.getTime() + PENDING_SIGN_IN_LIFE);
      return { outcome: "proof-wanted", wanted, expiresAt };
    }
    const { grounds } = checked;
    const completion = { account: proved, kind, aal: level, amr, grounds, visit, device } as const;
    const signedIn = await completeSignIn(context, manager, completion);
    return { outcome: "signed-in", ...signedIn, returnTo };
  });
}
