/** Moving a sign-in in progress on by a proof: a first one says who it is, a second one makes it a session. */
import type { NextProof } from "@lucchetto/contract";
import { amrBeside, amrWith, joinGrounds, levelShown } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import type { SignInRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { findAccount, lockAccount } from "../../records/account/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import { record } from "../../records/journal/journal.ts";
import { ruleOf, wantedBy, wantedOf } from "../../records/sign-in/rule.ts";
import { noteFurtherProof, reserveProof, spendSignIn } from "../../records/sign-in/store.ts";
import type { CheckedProof, ProofMethod, ShownProof } from "../proof/index.ts";
import { proofMethodOf } from "../proof/index.ts";
import type { Here } from "./complete.ts";
import { completeSignIn } from "./complete.ts";
import { showEnrolment } from "./enrol.ts";
import { takeFirstProof } from "./first-proof.ts";
import type { MovedOn } from "./pending.ts";
import { countConfirming, sendConfirming, showNewPassword } from "./pending.ts";

/**
 * Goes on with what was shown. Five wrong proofs end the sign-in, and each counts for the account.
 * @throws ProblemReply `invalid-fields` for what cannot be a proof (no try), `throttled`, `proof-refused`, `sign-in-lapsed`, and those of
 * the methods.
 */
export async function submitProof(
  context: ServiceContext,
  pending: SignInRow,
  { proof, ...here }: Here & { proof: NextProof },
): Promise<MovedOn> {
  if (proof.type === "new-password")
    return showNewPassword(context, pending, { password: proof.password, ...here });
  if (proof.type === "enrol-totp" || proof.type === "enrol-passkey")
    return showEnrolment(context, pending, { proof, ...here });
  const method = proofMethodOf(proof.type);
  if (pending.amr.length > 0) return takeFurtherProof(context, pending, method, { proof, ...here });
  // Nobody is known yet: only what was mailed says who it is.
  if (method.begins !== "mail") throw new ProblemReply("proof-refused");
  const checked = await check(context, pending, method, { proof, ...here });
  return takeFirstProof(context, pending, { method, proof, checked, ...here });
}

/** One more proof after the first one: a second factor, or the mail or the password that is wanted beside the other. */
async function takeFurtherProof(
  context: ServiceContext,
  pending: SignInRow,
  method: ProofMethod,
  { proof, visit, device }: Here & { proof: ShownProof },
): Promise<MovedOn> {
  const { accountId } = pending;
  if (accountId === null) throw new ProblemReply("proof-refused");
  const account = await findAccount(context.dataSource, accountId);
  if (account?.state !== "active") throw new ProblemReply("sign-in-lapsed");
  const rule = await ruleOf(context, context.dataSource.manager, account);
  const wanted: readonly string[] = wantedBy(rule, pending.amr);
  if (!wanted.includes(method.type)) throw new ProblemReply("proof-refused");
  const checked = await check(context, pending, method, { proof, visit, device });
  const added = checked.amr ?? method.amr;
  const amr = method.part === "second" ? amrWith(pending.amr, added) : amrBeside(pending.amr, added);
  const grounds = joinGrounds(pending, checked.grounds);
  const { mark } = device;
  const isWithinLimit = await countConfirming(context, { account, wanted: wantedBy(rule, amr), mark });
  return inTransaction(context.dataSource, async (manager) => {
    const now = context.clock.now();
    const locked = await lockAccount(manager, accountId);
    if (locked?.state !== "active") throw new ProblemReply("sign-in-lapsed");
    const after = await wantedOf(context, manager, { account: locked, shown: amr });
    const isMailNext = after.includes("mail-link");
    const mailLife = context.configuration.links["sign-in"];
    const expiresAt = isMailNext ? new Date(now.getTime() + mailLife) : pending.expiresAt;
    const isFirst =
      after.length === 0
        ? await spendSignIn(manager, pending.id, now)
        : await noteFurtherProof(manager, pending, { amr, grounds, expiresAt, now });
    if (!isFirst) throw new ProblemReply("sign-in-lapsed");
    await checked.spend(manager, { account: locked, visit, now });
    await checked.reserved.succeed(manager);
    if (isMailNext) {
      const confirming = { account: locked, signInId: pending.id, visit, mark, isWithinLimit };
      await sendConfirming(context, manager, confirming);
    }
    const { kind, returnTo } = pending;
    if (after.length > 0) return { outcome: "proof-wanted", wanted: after, expiresAt };
    const completion = { account: locked, kind, aal: levelShown(amr), amr, grounds, visit, device } as const;
    return { outcome: "signed-in", returnTo, ...(await completeSignIn(context, manager, completion)) };
  });
}

function check(
  context: ServiceContext,
  pending: SignInRow,
  method: ProofMethod,
  { proof, visit, device }: Here & { proof: ShownProof },
): Promise<CheckedProof> {
  const { dataSource, clock } = context;
  const { accountId } = pending;
  const prover = { accountId, visit, mark: device.mark, pending };
  return method.check(context, prover, proof, {
    // Counted as wrong before it is looked at, so that no parallel guesses outrun the count.
    async claim() {
      if (!(await reserveProof(dataSource, pending.id, clock.now())))
        throw new ProblemReply("sign-in-lapsed");
    },
    async refused(reason) {
      const event = { kind: "sign-in.refused", outcome: "refused", reason, accountId } as const;
      await inTransaction(dataSource, (manager) =>
        record(context, manager, { event, visit, now: clock.now() }),
      );
    },
  });
}
