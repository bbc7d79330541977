/** Recovery codes: printed or written down, each replaces the second factor once (NIST SP 800-63B-4 sections 3.1.2 and 4.2). */
import { createHmac } from "node:crypto";

/** Codes in a set. */
export const RECOVERY_CODES = 10;

/** 32 signs, none easily taken for another: no i, l, o and u. */
const SIGNS = "0123456789abcdefghjkmnpqrstvwxyz";
const GROUP = 5;
/** Signs of a code: 15 times 5 are 75 random bits. */
const LENGTH = 15;
/** Random bytes that a code takes: the lowest five bits of each. */
export const RECOVERY_CODE_BYTES = LENGTH;

/**
 * A code in three groups, as it is shown. @param random `RECOVERY_CODE_BYTES` bytes from the platform's CSPRNG.
 * @example
 * ```ts
 * recoveryCodeOf(new Uint8Array(15)) // → "00000-00000-00000"
 * ```
 */
export function recoveryCodeOf(random: Uint8Array): string {
  if (random.length !== RECOVERY_CODE_BYTES)
    throw new RangeError(`a recovery code takes ${RECOVERY_CODE_BYTES} random bytes`);
  const signs = [...random].map((byte) => SIGNS[byte & 31]).join("");
  return [0, 1, 2].map((group) => signs.slice(group * GROUP, (group + 1) * GROUP)).join("-");
}

/**
 * Reads what was typed: case, blanks and dashes do not matter, and what looks alike is read as what it must be.
 * @returns the bare signs; `null` if it is no recovery code.
 * @example
 * ```ts
 * readRecoveryCode(recoveryCodeOf(new Uint8Array(15)).toLowerCase()) === readRecoveryCode(recoveryCodeOf(new Uint8Array(15))) // → true
 * ```
 */
export function readRecoveryCode(typed: string): string | null {
  const text = typed.toLowerCase().replace(/[\s-]/g, "").replaceAll("o", "0").replace(/[il]/g, "1");
  return text.length === LENGTH && [...text].every((sign) => SIGNS.includes(sign)) ? text : null;
}

/** What is stored of a code: keyed and bound to its account. @param key 32 bytes. @param code as `readRecoveryCode` gives it. */
export function hashRecoveryCode(
  key: Uint8Array,
  { accountId, code }: { accountId: string; code: string },
): Buffer {
  return createHmac("sha256", key).update(`recovery-code\n${accountId}\n${code}`).digest();
}
