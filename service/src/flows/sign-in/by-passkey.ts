/** Signing in by a passkey alone: it verifies who holds it, so one answer is both proofs. */
import type { AssertionCredential } from "@lucchetto/contract";
import type { SessionKind } from "@lucchetto/core";
import { amrOfWhole } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import type { AccountRow } from "../../base/storage/index.ts";
import { inTransaction } from "../../base/storage/index.ts";
import { amrOf, checkAssertion, spendAnswer } from "../../people/passkey/answer.ts";
import { takeChallenge } from "../../people/passkey/take.ts";
import { groundsOfFactor } from "../../people/recovery/grounds.ts";
import { findAccount, lockAccount } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { findPasskey } from "../../records/passkey/store.ts";
import { mustProveEmail, wantedOf } from "../../records/sign-in/rule.ts";
import type { Device } from "./complete.ts";
import { completeSignIn } from "./complete.ts";
import { keepPending } from "./pending.ts";
import type { SignInOutcome } from "./sign-in.ts";
import { recordRefusal } from "./sign-in.ts";

/** What is shown, and where. */
interface PasskeySignIn {
  readonly proof: { readonly challengeId: string; readonly credential: AssertionCredential };
  readonly remember: boolean;
  readonly visit: RequestOrigin;
  readonly device: Device;
}

/**
 * Signs in.
 * @throws ProblemReply `passkey-…`; after the right answer `account-suspended`, `account-closed`, `email-unverified`, `operator-needed`.
 */
export async function signInByPasskey(
  context: ServiceContext,
  { proof, remember, visit, device }: PasskeySignIn,
): Promise<SignInOutcome> {
  const { mark } = device;
  const challenge = await takeChallenge(context, proof.challengeId, {
    purpose: "sign-in",
    accountId: null,
    signInId: null,
    visit,
    mark,
  });
  const answer = await checkAssertion(context, proof.credential, challenge);
  if ("fault" in answer) {
    await recordRefusal(context, { accountId: answer.accountId, reason: answer.fault, visit });
    throw answer.reply;
  }
  const { accountId } = answer.passkey;
  const account = await findAccount(context.dataSource, accountId);
  const told = account === null ? "passkey-unknown" : refusalOf(context, account);
  if (told !== null) {
    await recordRefusal(context, { accountId, reason: account?.state ?? told, visit });
    throw new ProblemReply(told);
  }
  const kind: SessionKind = remember ? "remembered" : "ordinary";
  const amr = amrOfWhole(amrOf(answer));
  const grounds = groundsOfFactor(answer.passkey);
  const begun = await inTransaction(context.dataSource, async (manager) => {
    const locked = await lockAccount(manager, accountId);
    if (locked?.state !== "active") throw new ProblemReply("passkey-unknown");
    const now = context.clock.now();
    await spendAnswer(context, manager, answer, { visit, now });
    const wanted = await wantedOf(context, manager, { account: locked, shown: amr });
    if (wanted.length > 0) return { outcome: "proof-wanted", wanted, account: locked } as const;
    const signedIn = await completeSignIn(context, manager, {
      account: locked,
      kind,
      aal: 2,
      amr,
      grounds,
      visit,
      device,
    });
    return { outcome: "signed-in", ...signedIn } as const;
  });
  if (begun.outcome === "signed-in") return begun;
  const { wanted } = begun;
  const pending = await keepPending(
    context,
    {
      ...{ account: begun.account, kind, amr, grounds, wanted },
      async stillStands(manager) {
        const locked = await lockAccount(manager, accountId);
        return locked?.state === "active" && (await findPasskey(manager, answer.passkey)) !== null;
      },
    },
    { visit, mark },
  );
  return { outcome: "proof-wanted", ...pending };
}

/** What is told to whoever holds the account's passkey, as to whoever knows its password. */
function refusalOf(
  context: ServiceContext,
  account: AccountRow,
): "account-suspended" | "account-closed" | "email-unverified" | "passkey-unknown" | null {
  switch (account.state) {
    case "suspended":
      return "account-suspended";
    case "closed":
      return "account-closed";
    case "invited":
      return "passkey-unknown";
    case "active":
      return mustProveEmail(context, account) ? "email-unverified" : null;
  }
}
