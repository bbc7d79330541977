/** A recovery code, in the place of a second factor that is not at hand. */
import { fieldError } from "@lucchetto/contract";
import { deriveKey, hashRecoveryCode, readRecoveryCode } from "@lucchetto/core";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import { groundsOfFactor } from "../../people/recovery/grounds.ts";
import type { SecurityEvent } from "../../records/journal/journal.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { countUnusedCodes, findUnusedCode, spendCode } from "../../records/second-factor/store.ts";
import { reserveRecoveryCodeTry } from "../../records/throttle/throttle.ts";
import type { ShownProof } from "./method.ts";
import { proofMethod } from "./method.ts";

export const recoveryCode = proofMethod<Extract<ShownProof, { type: "recovery-code" }>, string>({
  type: "recovery-code",
  part: "second",
  begins: "shown",
  // RFC 8176 registers no value for this.
  amr: ["recovery-code"],
  level: 2,
  read(_context, _prover, { code: typed }) {
    const code = readRecoveryCode(typed);
    if (code !== null) return code;
    throw fieldProblem([fieldError("proof.code", "recovery-code-malformed")]);
  },

  reserve: (context, { visit }) => reserveRecoveryCodeTry(context, visit),

  async look(context, prover, code) {
    const accountId = prover.accountId ?? "";
    const hashes = [...context.sealingKeys.keys.values()].map((key) =>
      hashRecoveryCode(deriveKey(key, "recovery-code"), { accountId, code }),
    );
    const row = await findUnusedCode(context.dataSource.manager, accountId, hashes);
    if (row === null) return { fault: "wrong-code recovery-code" };
    return {
      grounds: groundsOfFactor(row),
      async spend(manager, { account, visit, now }) {
        if (!(await spendCode(manager, accountId, { hashes, now }))) refuse();
        const left = await countUnusedCodes(manager, accountId);
        const event = {
          kind: "recovery-code.used",
          reason: `${left} left`,
          accountId,
        } satisfies SecurityEvent;
        await recordAndTell(context, manager, {
          event,
          readers: { owner: account ?? undefined, left },
          visit,
          now,
        });
      },
    };
  },

  refuse,
});

function refuse(): never {
  throw new ProblemReply("proof-refused", { detail: "This is not one of your remaining recovery codes." });
}
