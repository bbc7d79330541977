/** A sign-in in progress that got its first proof: there is a session, or more is wanted. */
import { hashToken, PENDING_SIGN_IN_LIFE } from "@lucchetto/core";
import { consultOrRecord } from "../account/consult.ts";
import { fillIn, settleRegistration } from "../account/registration.ts";
import { findRegistration } from "../account/registration-store.ts";
import { findAccount, lockAccount } from "../account/store.ts";
import type { ServiceContext, Visit } from "../context.ts";
import { forNewOwner, proveAddress } from "../mail-link/prove.ts";
import { ProblemReply } from "../problem.ts";
import type { CheckedProof, ProofMethod } from "../proof/index.ts";
import type { AccountRow, RegistrationRow, SignInRow } from "../storage/index.ts";
import { inTransaction } from "../storage/index.ts";
import type { Device } from "./complete.ts";
import { completeSignIn } from "./complete.ts";
import type { MovedOn } from "./pending.ts";
import { ruleOf, wantedBy } from "./rule.ts";
import { advanceSignIn, spendSignIn } from "./store.ts";

/**
 * Goes on with a sign-in whose first proof is right: the address is proved by it, and an account that waited outside begins.
 * @throws ProblemReply `proof-refused`, `sign-in-lapsed`, `link-used`, `address-taken`, `refused-by-site`, `site-silent`.
 */
export async function takeFirstProof(
  context: ServiceContext,
  pending: SignInRow,
  {
    method: { amr, level },
    checked,
    visit,
    device,
  }: { method: ProofMethod; checked: CheckedProof; visit: Visit; device: Device },
): Promise<MovedOn> {
  const { accountId, registrationId } = pending;
  const account = accountId === null ? null : await findAccount(context.dataSource, accountId);
  const waiting = registrationId === null ? null : await findRegistration(context.dataSource, registrationId);
  if (account === null && waiting === null) throw new ProblemReply("proof-refused");
  const registration = waiting && (await consulted(context, waiting, visit));
  return inTransaction(context.dataSource, async (manager) => {
    const now = context.clock.now();
    await checked.spend(manager, { account, visit, now });
    const locked =
      account === null && registration !== null
        ? (
            await settleRegistration(context, manager, {
              registration,
              // Who asked for this mail may be another than who registered.
              passwordRecord: null,
              passkey: null,
              visit,
            })
          ).account
        : await lockAccount(manager, account?.id ?? "");
    if (locked?.state !== "active") throw new ProblemReply("proof-refused");
    const isSame = isRegistrationBrowser(locked, device);
    // What whoever registered it set up goes with the first proof: then there is no password left to be replaced.
    const goesAnew = locked.emailVerifiedAt === null && !isSame;
    const becoming = { ...locked, emailVerifiedAt: locked.emailVerifiedAt ?? now };
    const rule = await ruleOf(
      context,
      manager,
      goesAnew ? { ...becoming, ...forNewOwner(locked) } : becoming,
    );
    const wanted = wantedBy(
      goesAnew && locked.isOpenlyRegistered ? { ...rule, secondFactors: [] } : rule,
      amr,
    );
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
    const proved = await proveAddress(context, manager, {
      account: locked,
      prover: isSame ? { isSame } : { isSame, newRecord: null },
      visit,
    });
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

/** The application is asked before there is a new account. */
async function consulted(
  context: ServiceContext,
  registration: RegistrationRow,
  visit: Visit,
): Promise<RegistrationRow> {
  const { email, username, displayName } = registration;
  const facts = { reference: null, email, username, displayName, labels: [] };
  const filledIn = await consultOrRecord(
    context,
    { type: "account.create", by: "person", account: facts },
    visit,
  );
  return { ...registration, ...fillIn(registration, filledIn) };
}

function isRegistrationBrowser(
  { registrationBrowserHash }: AccountRow,
  { mark }: Pick<Device, "mark">,
): boolean {
  const shown = mark === undefined ? null : hashToken("device-mark", mark);
  return shown !== null && registrationBrowserHash !== null && registrationBrowserHash.equals(shown);
}
