/** A set of recovery codes. */
import { randomBytes } from "node:crypto";
import {
  deriveKey,
  hashRecoveryCode,
  readRecoveryCode,
  RECOVERY_CODE_BYTES,
  RECOVERY_CODES,
  recoveryCodeOf,
} from "@lucchetto/core";
import type { Granted } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import { replaceCodes } from "../../records/second-factor/store.ts";

/** @returns the codes as they are shown; only keyed hashes of them are kept. */
export async function makeCodes(
  { sealingKeys }: Pick<ServiceContext, "sealingKeys">,
  manager: Granted,
  accountId: string,
  now: Date,
): Promise<string[]> {
  const keyId = sealingKeys.current;
  const ringKey = sealingKeys.keys.get(keyId);
  if (ringKey === undefined) throw new Error("the current key is not in the ring");
  const key = deriveKey(ringKey, "recovery-code");
  const codes = Array.from({ length: RECOVERY_CODES }, () =>
    recoveryCodeOf(randomBytes(RECOVERY_CODE_BYTES)),
  );
  const rows = codes.map((shown) => {
    const code = readRecoveryCode(shown) ?? "";
    return {
      accountId,
      codeHash: hashRecoveryCode(key, { accountId, code }),
      keyId,
      createdAt: now,
      usedAt: null,
      removedAt: null,
      provedSince: null,
    };
  });
  await replaceCodes(manager, accountId, { rows, now });
  return codes;
}
