/**
 * Password records, usable alone:
 *
 *     const record = await makePasswordRecord("a long enough password");
 *     const { matches, outdated } = await checkPasswordRecord("a long enough password", record);
 */
import { randomBytes } from "node:crypto";
import { preparePassword } from "./prepare.ts";
import { checkRecord, isOutdated, makeRecord, readRecord, SALT_LENGTH } from "./record.ts";
import { DEFAULT_SCHEME_TEXT, readScheme } from "./scheme.ts";

export * from "./algorithms/index.ts";
export * from "./compromised-list.ts";
export * from "./explain.ts";
export * from "./guessable.ts";
export * from "./phc.ts";
export * from "./prepare.ts";
export * from "./record.ts";
export * from "./rules.ts";
export * from "./scheme.ts";
export * from "./strength.ts";
export * from "./tuning.ts";

/** An input that can be nobody's password: empty, too long, with control characters, or ill-formed Unicode. */
export class UnusablePasswordError extends Error {
  override readonly name = "UnusablePasswordError";
}

/**
 * Makes a record of a password, with a fresh salt from the platform's CSPRNG.
 * @param password as typed; prepared per RFC 8265 before hashing.
 * @param scheme PHC prefix; `$scrypt$ln=15,r=8,p=3` unless said otherwise.
 * @throws UnusablePasswordError, SchemeError. Peppered records need the key ring: see `makeRecord`.
 * @example
 * ```ts
 * const record = await makePasswordRecord("five huts above the lake", "$scrypt$ln=10,r=8,p=1");
 * record.startsWith("$scrypt$ln=10,r=8,p=1$") // → true
 * ```
 */
export async function makePasswordRecord(password: string, scheme = DEFAULT_SCHEME_TEXT): Promise<string> {
  const prepared = preparePassword(password);
  if (!prepared.ok) throw new UnusablePasswordError(`the password is ${prepared.fault}`);
  return makeRecord(prepared.text, readScheme(scheme), randomBytes(SALT_LENGTH));
}

/**
 * Checks a typed password against a record.
 * @returns `matches`, and `outdated`: whether the record should be re-made with the scheme wanted now.
 * @throws PhcReadError or SchemeError if the record cannot be read or lies above the limits.
 * @example
 * ```ts
 * const record = await makePasswordRecord("five huts above the lake", "$scrypt$ln=10,r=8,p=1");
 * await checkPasswordRecord("five huts above the lake", record, "$scrypt$ln=10,r=8,p=1") // → { matches: true, outdated: false }
 * (await checkPasswordRecord("four huts", record, "$scrypt$ln=10,r=8,p=1")).matches // → false
 * ```
 */
export async function checkPasswordRecord(
  password: string,
  record: string,
  scheme = DEFAULT_SCHEME_TEXT,
): Promise<{ matches: boolean; outdated: boolean }> {
  const read = readRecord(record);
  const prepared = preparePassword(password);
  const matches = prepared.ok && (await checkRecord(prepared.text, read));
  return { matches, outdated: isOutdated(read, readScheme(scheme)) };
}
