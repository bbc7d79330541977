/** The second factor inside a sign-in: after a right code there is a session, at level 2. */
import type { SecondFactor } from "@lucchetto/core";
import { amrWith } from "@lucchetto/core";
import { findAccount, lockAccount } from "../account/store.ts";
import type { ServiceContext, Visit } from "../context.ts";
import { record } from "../journal/journal.ts";
import { ProblemReply } from "../problem.ts";
import { checkFactor, readFactor, refuseFactor } from "../second-factor/show.ts";
import type { SignInRow } from "../storage/index.ts";
import { inTransaction } from "../storage/index.ts";
import { reserveFactorTry } from "../throttle/throttle.ts";
import type { Device } from "./complete.ts";
import { completeSignIn } from "./complete.ts";
import type { CompletedSignIn } from "./pending.ts";
import { wantedOf } from "./pending.ts";
import { reserveProof, spendSignIn } from "./store.ts";

/**
 * Goes on with a sign-in that waits for a second factor. Five wrong codes end it, and each counts for the account.
 * @throws ProblemReply `invalid-fields` for what cannot be a code (no try), `throttled`, `proof-refused`,
 * `sign-in-lapsed`.
 */
export async function showSecondFactor(
  context: ServiceContext,
  pending: SignInRow,
  { proof, visit, device }: { proof: { type: SecondFactor; code: string }; visit: Visit; device: Device },
): Promise<CompletedSignIn> {
  const { dataSource, clock } = context;
  const { accountId } = pending;
  // Nothing was proved yet: the sign-in may still be waiting for its mail.
  if (accountId === null || pending.amr.length === 0) throw new ProblemReply("proof-refused");
  const account = await findAccount(dataSource, accountId);
  if (account?.state !== "active") throw new ProblemReply("sign-in-lapsed");
  const wanted = await wantedOf(context, account);
  if (!wanted.includes(proof.type)) throw new ProblemReply("proof-refused");
  const read = await readFactor(context, accountId, proof);
  const reserved = await reserveFactorTry(context, { accountId, network: visit.network });
  // Counted as wrong before it is looked at, so that no parallel guesses outrun the count.
  if (!(await reserveProof(dataSource, pending.id, clock.now()))) {
    await reserved.giveBack();
    throw new ProblemReply("sign-in-lapsed");
  }
  const checked = await checkFactor(context, accountId, read);
  if (typeof checked === "string") {
    const reason = `${checked} ${proof.type}`;
    const event = { kind: "sign-in.refused", outcome: "refused", reason, accountId } as const;
    await inTransaction(dataSource, (manager) => record(manager, { event, visit, now: clock.now() }));
    return refuseFactor(proof.type, checked);
  }
  return inTransaction(dataSource, async (manager) => {
    const now = clock.now();
    const locked = await lockAccount(manager, accountId);
    if (locked?.state !== "active" || locked.mustChangePassword) throw new ProblemReply("sign-in-lapsed");
    if (!(await spendSignIn(manager, pending.id, now))) throw new ProblemReply("sign-in-lapsed");
    await checked.spend(manager, { account: locked, visit, now });
    await reserved.succeed(manager);
    const { kind, returnTo } = pending;
    const amr = amrWith(pending.amr, proof.type);
    const completion = { account: locked, kind, aal: 2, amr, visit, device } as const;
    return { outcome: "signed-in", returnTo, ...(await completeSignIn(context, manager, completion)) };
  });
}
