/** The answer of an authenticator (Web Authentication Level 3, section 7.2), beside another proof or inside a session. */
import { ProblemReply } from "../../base/problem.ts";
import { amrOf, checkAssertion, spendAnswer } from "../../people/passkey/answer.ts";
import { takeChallenge } from "../../people/passkey/take.ts";
import { groundsOfFactor } from "../../people/recovery/grounds.ts";
import type { ShownProof } from "./method.ts";
import { proofMethod } from "./method.ts";

type Shown = Extract<ShownProof, { type: "passkey" }>;

export const passkey = proofMethod<Shown, Shown>({
  type: "passkey",
  part: "second",
  begins: "shown",
  mayBeWhole: true,
  // Which of hwk and swk it is, and whether the person was verified, says each answer.
  amr: [],
  level: 2,
  read: (_context, _prover, shown) => shown,

  async look(context, { accountId, pending, visit, mark }, { challengeId, credential }) {
    const challenge = await takeChallenge(context, challengeId, {
      purpose: pending === null ? "reauthenticate" : "sign-in",
      accountId: accountId ?? "",
      signInId: pending?.id ?? null,
      visit,
      mark,
    });
    const answer = await checkAssertion(context, credential, challenge);
    if ("fault" in answer) return answer;
    return {
      amr: amrOf(answer),
      grounds: groundsOfFactor(answer.passkey),
      isWhole: answer.use.userVerified,
      spend: (manager, { visit: at, now }) => spendAnswer(context, manager, answer, { visit: at, now }),
    };
  },

  refuse() {
    throw new ProblemReply("passkey-unknown");
  },
});
