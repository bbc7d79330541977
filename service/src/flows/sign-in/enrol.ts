/** A second factor that must be had, set up inside the sign-in: before there is a session, and after the proofs that come before it. */
import type { NextProof } from "@lucchetto/contract";
import { amrWith, joinGrounds, levelShown } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import type { Granted, SignInRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { PASSKEY_ADDED, readNewPasskey } from "../../people/passkey/passkey.ts";
import { takeChallenge } from "../../people/passkey/take.ts";
import type { FactorChange } from "../../people/second-factor/change.ts";
import { addFactorInSignIn } from "../../people/second-factor/change.ts";
import type { Enrolment, WantedAuthenticator } from "../../people/second-factor/second-factor.ts";
import {
  assertLastingKeys,
  beginEnrolment,
  readBegun,
  readFirstCode,
  TOTP_ADDED,
} from "../../people/second-factor/second-factor.ts";
import { lockAccount } from "../../records/account/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import { assertWanted, wantedOf } from "../../records/sign-in/rule.ts";
import { holdOpenSignIn, noteFurtherProof, reserveProof, spendSignIn } from "../../records/sign-in/store.ts";
import type { Here } from "./complete.ts";
import { completeSignIn } from "./complete.ts";
import type { MovedOn } from "./pending.ts";

type EnrolmentProof = Extract<NextProof, { type: "enrol-totp" | "enrol-passkey" }>;

interface NewFactor extends Pick<FactorChange, "kind" | "mail"> {
  readonly amr: readonly string[];
  readonly add: (manager: Granted, now: Date) => Promise<unknown>;
}

/**
 * Sets it up, and goes on. A wrong first code counts as a wrong proof of the sign-in.
 * @throws ProblemReply `sign-in-lapsed`, `proof-refused`, `keys-missing`, `not-found`, `enrolment-lapsed`, `invalid-fields`, `passkey-…`.
 */
export async function showEnrolment(
  context: ServiceContext,
  pending: SignInRow,
  { proof, visit, device }: Here & { proof: EnrolmentProof },
): Promise<MovedOn> {
  assertLastingKeys(context);
  const account = await assertWanted(context, pending, proof.type);
  const { id: accountId } = account;
  const factor = await readFactor(context, pending, { accountId, proof, visit, device });
  const amr = amrWith(pending.amr, factor.amr);
  const grounds = joinGrounds(pending);
  return inTransaction(context.dataSource, async (outside) => {
    const now = context.clock.now();
    const locked = await lockAccount(outside, accountId);
    const manager = await holdOpenSignIn(outside, pending.id, now);
    if (locked?.state !== "active" || manager === null) throw new ProblemReply("sign-in-lapsed");
    // Another sign-in may have set one up meanwhile: then that one is wanted, and nothing more is added.
    const before = await wantedOf(context, manager, { account: locked, shown: pending.amr });
    if (!before.includes(proof.type))
      return { outcome: "proof-wanted", wanted: before, expiresAt: pending.expiresAt };
    const codes = await addFactorInSignIn(context, manager, {
      ...factor,
      account: locked,
      grounds,
      visit,
      now,
    });
    const recoveryCodes = codes ?? undefined;
    const after = await wantedOf(context, manager, { account: locked, shown: amr });
    const { expiresAt, kind, returnTo } = pending;
    const isFirst =
      after.length === 0
        ? await spendSignIn(manager, pending.id, now)
        : await noteFurtherProof(manager, pending, { amr, grounds, expiresAt, now });
    if (!isFirst) throw new ProblemReply("sign-in-lapsed");
    if (after.length > 0) return { outcome: "proof-wanted", wanted: after, expiresAt, recoveryCodes };
    const completion = { account: locked, kind, aal: levelShown(amr), amr, grounds, visit, device } as const;
    const signedIn = await completeSignIn(context, manager, completion);
    return { outcome: "signed-in", returnTo, recoveryCodes, ...signedIn };
  });
}

/** Begins with an authenticator inside a sign-in that wants one. @throws ProblemReply as `showEnrolment`. */
export async function beginEnrolmentInSignIn(
  context: ServiceContext,
  pending: SignInRow,
  wanted: WantedAuthenticator,
): Promise<Enrolment> {
  const account = await assertWanted(context, pending, "enrol-totp");
  return beginEnrolment(context, account, wanted, (begin) =>
    inTransaction(context.dataSource, async (manager) => {
      const now = context.clock.now();
      const locked = await lockAccount(manager, account.id);
      // Whoever ended the sign-in locked the account first, too.
      const open = await holdOpenSignIn(manager, pending.id, now);
      if (locked?.state !== "active" || open === null) throw new ProblemReply("sign-in-lapsed");
      return begin({ manager: open, account: locked, now });
    }),
  );
}

async function readFactor(
  context: ServiceContext,
  pending: SignInRow,
  { accountId, proof, visit, device }: Here & { accountId: string; proof: EnrolmentProof },
): Promise<NewFactor> {
  if (proof.type === "enrol-passkey") {
    const { challengeId, credential } = proof;
    const asked = { purpose: "enrol", accountId, signInId: pending.id, visit, mark: device.mark } as const;
    const challenge = await takeChallenge(context, challengeId, asked);
    return { ...PASSKEY_ADDED, ...(await readNewPasskey(context, challenge, { accountId, credential })) };
  }
  const begun = await readBegun(context, { id: proof.id, accountId });
  if (!(await reserveProof(context.dataSource, pending.id, context.clock.now())))
    throw new ProblemReply("sign-in-lapsed");
  return { ...TOTP_ADDED, add: readFirstCode(context, begun, { typed: proof.code, path: "proof.code" }) };
}
