/** Base32 (RFC 4648 section 6): upper case without padding going out, tolerant coming in. */
import { base32nopad } from "@scure/base";

/** What cannot be read as base32, with the letter that is wrong. */
export class Base32Error extends Error {
  override readonly name = "Base32Error";
}

/** Letters that a last group may have: with 1, 3 or 6 no whole byte ends. */
const IMPOSSIBLE_REMAINDERS = new Set([1, 3, 6]);

/**
 * Writes bytes in upper case, without padding.
 * @example
 * ```ts
 * writeBase32(Buffer.from("12345678901234567890")) // → "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ"
 * ```
 */
export function writeBase32(bytes: Uint8Array): string {
  return base32nopad.encode(bytes);
}

/**
 * Reads what somebody copied: lower case, blanks, dashes and padding are fine.
 * @throws Base32Error naming the first letter that no base32 has, or the length that none has.
 * @example
 * ```ts
 * Buffer.from(readBase32("gezd gnbv gy3t qojq gezd gnbv gy3t qojq")).toString() // → "12345678901234567890"
 * ```
 */
export function readBase32(typed: string): Uint8Array {
  const text = typed.replace(/[\s-]/g, "").replace(/=+$/, "").toUpperCase();
  const wrong = /[^A-Z2-7]/u.exec(text)?.[0];
  if (wrong !== undefined) throw new Base32Error(`“${wrong}” is no letter of base32 (A to Z, 2 to 7)`);
  if (IMPOSSIBLE_REMAINDERS.has(text.length % 8))
    throw new Base32Error(`no base32 has ${text.length} letters: something is missing`);
  try {
    return base32nopad.decode(text);
  } catch (error) {
    throw new Base32Error("the last letter does not fit: something is missing", { cause: error });
  }
}
