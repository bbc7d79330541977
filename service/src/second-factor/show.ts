/** Showing a second factor: the code is looked at first, and spent in the transaction that honours it. */
import { randomBytes } from "node:crypto";
import type { SecondFactor } from "@lucchetto/core";
import {
  deriveKey,
  hashRecoveryCode,
  matchTotp,
  NONCE_LENGTH,
  open,
  readBase32,
  readRecoveryCode,
  readTotpCode,
  seal,
  sealedUnder,
  SealError,
  writeBase32,
} from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import type { ServiceContext, Visit } from "../context.ts";
import type { SecurityEvent } from "../journal/journal.ts";
import { record } from "../journal/journal.ts";
import { tellOwner } from "../mail/notices.ts";
import { fieldProblem, ProblemReply } from "../problem.ts";
import type { AccountFacts, AuthenticatorRow } from "../storage/index.ts";
import { countUnusedCodes, isUnusedCode, listConfirmed, spendCode, spendStep } from "./store.ts";

/** A second factor as it was shown. */
export interface ShownFactor {
  readonly type: SecondFactor;
  readonly code: string;
}

/** A code that was looked at and is right. */
export interface RightFactor {
  readonly type: SecondFactor;
  /** Spends it, in the transaction that honours it. @throws ProblemReply `proof-refused` if another call was first. */
  spend(manager: EntityManager, about: { account: AccountFacts; visit: Visit; now: Date }): Promise<void>;
}

/** Why a code does not count. The journal names it; whoever typed it is told as much as helps. */
export type FactorFault = "wrong-code" | "used-code";

const USED = "This code was used already. Wait for the next one.";
const WRONG: Readonly<Record<SecondFactor, string>> = {
  totp: "This is not the code of now. Look again; if it stays so, set the clock of the device right.",
  "recovery-code": "This is none of the recovery codes that are left.",
};

/** Reads a code before anything is counted: what cannot be one is no try. @throws ProblemReply `invalid-fields`. */
export async function readFactor(
  { dataSource }: ServiceContext,
  accountId: string,
  { type, code }: ShownFactor,
): Promise<{ type: SecondFactor; code: string; authenticators: readonly AuthenticatorRow[] }> {
  if (type === "recovery-code") {
    const read = readRecoveryCode(code);
    if (read !== null) return { type, code: read, authenticators: [] };
    throw fieldProblem([
      { path: "proof.code", message: "A recovery code has three groups of five letters and digits." },
    ]);
  }
  const authenticators = await listConfirmed(dataSource.manager, accountId);
  const lengths = [...new Set(authenticators.map(({ digits }) => digits))];
  const read = lengths.map((digits) => readTotpCode(code, digits)).find((text) => text !== null);
  if (read !== undefined && read !== null) return { type, code: read, authenticators };
  const digits = lengths.length === 0 ? "6" : lengths.join(" or ");
  throw fieldProblem([{ path: "proof.code", message: `The code has ${digits} digits.` }]);
}

/** Looks whether a code is right. */
export async function checkFactor(
  context: ServiceContext,
  accountId: string,
  { type, code, authenticators }: Awaited<ReturnType<typeof readFactor>>,
): Promise<RightFactor | FactorFault> {
  if (type === "recovery-code") return checkRecoveryCode(context, accountId, code);
  let fault: FactorFault = "wrong-code";
  let right: RightFactor | null = null;
  const now = context.clock.now();
  for (const row of authenticators) {
    const secret = openSecret(context, row);
    if (secret === null) continue;
    const match = matchTotp({ secret, settings: row, lastStep: row.lastStep }, code, now);
    if (match.outcome === "used") fault = "used-code";
    if (match.outcome === "right")
      right = rightCode(row, { step: match.step, sealedAnew: sealAnew(context, row, secret) });
  }
  return right ?? fault;
}

/** The secret of an authenticator; `null` if it does not open: its key is not in the ring any more. */
export function openSecret(
  { sealingKeys }: Pick<ServiceContext, "sealingKeys">,
  { id, sealedSecret }: Pick<AuthenticatorRow, "id" | "sealedSecret">,
): Uint8Array | null {
  try {
    return readBase32(open(sealingKeys, sealedSecret, secretPlace(id)));
  } catch (error) {
    if (error instanceof SealError) return null;
    throw error;
  }
}

/** Where a secret stands; sealed for this place, it opens at no other. */
export function secretPlace(id: string) {
  return { table: "authenticator", record: id, purpose: "totp-secret" };
}

/** The refusal of a code that does not count. @throws ProblemReply `proof-refused`, always. */
export function refuseFactor(type: SecondFactor, fault: FactorFault): never {
  throw new ProblemReply("proof-refused", {
    detail: fault === "used-code" ? USED : WRONG[type],
  });
}

/** Under the present key, where it stands under an older one; so that this one can be retired at last. */
function sealAnew(
  { sealingKeys }: ServiceContext,
  { id, sealedSecret }: AuthenticatorRow,
  secret: Uint8Array,
): string | null {
  if (sealedUnder(sealedSecret) === sealingKeys.current) return null;
  return seal(sealingKeys, writeBase32(secret), secretPlace(id), randomBytes(NONCE_LENGTH));
}

function rightCode(
  row: AuthenticatorRow,
  { step, sealedAnew }: { step: number; sealedAnew: string | null },
): RightFactor {
  return {
    type: "totp",
    async spend(manager, { now }) {
      if (!(await spendStep(manager, row.id, { step, now, sealedAnew }))) refuseFactor("totp", "used-code");
    },
  };
}

async function checkRecoveryCode(
  context: ServiceContext,
  accountId: string,
  code: string,
): Promise<RightFactor | FactorFault> {
  const { keys } = context.sealingKeys;
  const hashes = [...keys.values()].map((key) =>
    hashRecoveryCode(deriveKey(key, "recovery-code"), { accountId, code }),
  );
  if (!(await isUnusedCode(context.dataSource.manager, accountId, hashes))) return "wrong-code";
  return {
    type: "recovery-code",
    async spend(manager, { account, visit, now }) {
      if (!(await spendCode(manager, accountId, { hashes, now })))
        refuseFactor("recovery-code", "wrong-code");
      const left = await countUnusedCodes(manager, accountId);
      const event = { kind: "recovery-code.used", reason: `${left} left`, accountId } satisfies SecurityEvent;
      await record(manager, { event, visit, now });
      await tellOwner(context, manager, { name: "recovery-code-used", account, visit, left });
    },
  };
}
