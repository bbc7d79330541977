/**
 * The short code that a sign-in link is swapped for when it is opened in another browser than the one that asked. It is
 * typed where the sign-in was begun, and accepted nowhere else.
 */
import { createHmac, timingSafeEqual } from "node:crypto";

const DIGITS = 6;
/** Random bytes that a code is made of: so many that the remainder favours no code noticeably (2^-44). */
export const MAIL_CODE_BYTES = 8;

/**
 * A code of six digits. @param random `MAIL_CODE_BYTES` random bytes.
 * @example
 * ```ts
 * mailCodeOf(new Uint8Array(32)).length // → 6
 * ```
 */
export function mailCodeOf(random: Uint8Array): string {
  const number = Buffer.from(random).readBigUInt64BE() % 10n ** BigInt(DIGITS);
  return number.toString().padStart(DIGITS, "0");
}

/**
 * Reads what was typed; blanks and dashes between the digits are left out. @returns `null` if it is no code.
 * @example
 * ```ts
 * readMailCode("123 456") // → "123456"
 * readMailCode("12345") // → null
 * ```
 */
export function readMailCode(typed: string): string | null {
  const digits = typed.replace(/[\s-]/g, "");
  return /^\d{6}$/.test(digits) ? digits : null;
}

/** What is stored of a code: keyed, since six digits are soon guessed, and bound to its sign-in. @param key 32 bytes. */
export function hashMailCode(
  key: Uint8Array,
  { signInId, code }: { signInId: string; code: string },
): Buffer {
  return createHmac("sha256", key).update(`mail-code\n${signInId}\n${code}`).digest();
}

/** Whether a code is the one whose hash is stored, in constant time. */
export function isMailCode(stored: Uint8Array | null, shown: Uint8Array): boolean {
  return stored !== null && stored.length === shown.length && timingSafeEqual(stored, shown);
}
