/** The code of an authenticator app (RFC 6238). */
import { fieldError } from "@lucchetto/contract";
import type { ClockDrift } from "@lucchetto/core";
import { driftAfter, matchTotp, ONE_TIME_PASSWORD, readTotpCode } from "@lucchetto/core";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import type { AuthenticatorRow } from "../../base/storage/index.ts";
import { groundsOfFactor } from "../../people/recovery/grounds.ts";
import { openSecret, reencryptIfOldKey } from "../../records/second-factor/secret.ts";
import { listConfirmed, spendStep } from "../../records/second-factor/store.ts";
import { reserveFactorTry } from "../../records/throttle/throttle.ts";
import type { RightProof, ShownProof } from "./method.ts";
import { proofMethod } from "./method.ts";

interface Read {
  readonly code: string;
  readonly authenticators: readonly AuthenticatorRow[];
}

const USED = "used-code";

export const totp = proofMethod<Extract<ShownProof, { type: "totp" }>, Read>({
  type: "totp",
  part: "second",
  begins: "shown",
  amr: [ONE_TIME_PASSWORD],
  level: 2,

  async read({ dataSource }, { accountId }, { code: typed }) {
    const authenticators = await listConfirmed(dataSource.manager, accountId ?? "");
    const lengths = [...new Set(authenticators.map(({ digits }) => digits))];
    const code = lengths.map((digits) => readTotpCode(typed, digits)).find((text) => text !== null);
    if (code !== undefined && code !== null) return { code, authenticators };
    const digits = lengths.length === 0 ? "6" : lengths.join(" or ");
    throw fieldProblem([fieldError("proof.code", "code-malformed", { digits })]);
  },

  reserve: (context, { accountId, visit: { network }, mark }) =>
    reserveFactorTry(context, { accountId: accountId ?? "", network, mark }),

  async look(context, _prover, { code, authenticators }) {
    let fault = "wrong-code";
    let right: RightProof | null = null;
    const now = context.clock.now();
    // All are looked at, whether or not an early one is right.
    for (const row of authenticators) {
      const secret = openSecret(context, row);
      if (secret === null) continue;
      const { lastStep, drift } = row;
      const match = matchTotp({ secret, settings: row, lastStep, drift }, code, now);
      if (match.outcome === "used") fault = USED;
      if (match.outcome === "right")
        right = rightCode(row, {
          step: match.step,
          clock: driftAfter(row, match.offset),
          sealedAnew: reencryptIfOldKey(context, row, secret),
        });
    }
    return right ?? { fault: `${fault} totp` };
  },

  refuse,
});

function rightCode(
  row: AuthenticatorRow,
  spent: { step: number; clock: ClockDrift; sealedAnew: string | null },
): RightProof {
  return {
    grounds: groundsOfFactor(row),
    async spend(manager, { now }) {
      if (!(await spendStep(manager, row.id, { ...spent, now }))) refuse(USED);
    },
  };
}

function refuse(fault: string): never {
  throw new ProblemReply("proof-refused", {
    detail: fault.startsWith(USED)
      ? "This code has already been used. Wait for the next one."
      : "This is not the current code. Try again; if that does not help, check your device's clock.",
  });
}
