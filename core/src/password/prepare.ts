/**
 * Prepares what a person typed for hashing and comparison: the OpaqueString profile of RFC 8265 section 4.2,
 * with the limits of this project. Nothing is ever repaired, trimmed, folded or cut off.
 */

/** Longest password in code points after normalisation. Every length up to it is accepted. */
export const MAX_PASSWORD_LENGTH = 256;

/**
 * Longest raw input in UTF-16 units that is normalised at all. NFC composes at most four code points of a letter with
 * its marks into one, so nothing that could end at 256 code points is cut off here.
 */
const MAX_RAW_UNITS = MAX_PASSWORD_LENGTH * 2 * 4;

/** Why an input cannot be a password at all; its length and guessability are the rules' matter. */
export type PreparationFault = "empty" | "too-long" | "control-character" | "ill-formed";

/** The prepared text and its length in code points, or the fault. */
export type Preparation =
  | { readonly ok: true; readonly text: string; readonly codePoints: number }
  | { readonly ok: false; readonly fault: PreparationFault };

// RFC 8265 section 4.2.2 step 2: any non-ASCII space (general category Zs) becomes U+0020. Listed by hand, since a
// runtime's Unicode tables must never decide whether an existing password still works.
const NON_ASCII_SPACE = /[\u00a0\u1680\u2000-\u200a\u202f\u205f\u3000]/gu;
// oxlint-disable-next-line no-control-regex -- exactly these are what must not occur
const CONTROL_CHARACTER = /[\u0000-\u001f\u007f-\u009f]/u;
const LONE_SURROGATE = /\p{Surrogate}/u;

/** What came in as a password is no text: a field that was never filled, or bytes. @throws TypeError. */
export function assertText(password: unknown): asserts password is string {
  if (typeof password === "string") return;
  const found = password === null ? "null" : ArrayBuffer.isView(password) ? "bytes" : typeof password;
  throw new TypeError(`the password is ${found}; expected a text`);
}

/**
 * @param typed what came in, as a JavaScript string. @returns the text whose UTF-8 bytes are hashed, or the fault.
 * @throws TypeError for what is no text.
 * @example
 * ```ts
 * // NFC (RFC 8265): é is one code point, however it was typed.
 * preparePassword("cafe\u0301 above the lake") // → { ok: true, text: "café above the lake", codePoints: 19 }
 * preparePassword("") // → { ok: false, fault: "empty" }
 * ```
 */
export function preparePassword(typed: string): Preparation {
  assertText(typed);
  if (typed.length === 0) return { ok: false, fault: "empty" };
  if (typed.length > MAX_RAW_UNITS) return { ok: false, fault: "too-long" };
  if (LONE_SURROGATE.test(typed)) return { ok: false, fault: "ill-formed" };
  if (CONTROL_CHARACTER.test(typed)) return { ok: false, fault: "control-character" };
  const text = typed.replace(NON_ASCII_SPACE, " ").normalize("NFC");
  const codePoints = countCodePoints(text);
  if (codePoints > MAX_PASSWORD_LENGTH) return { ok: false, fault: "too-long" };
  return { ok: true, text, codePoints };
}

/**
 * Length in code points, which is what people would call characters more often than UTF-16 units are.
 * @example
 * ```ts
 * countCodePoints("🔑 brass") // → 7
 * ```
 */
export function countCodePoints(text: string): number {
  let count = 0;
  for (const _ of text) count += 1;
  return count;
}
