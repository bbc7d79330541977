/** Password records: made, checked, and asked whether they are older than configured. One format, PHC. */
import { timingSafeEqual } from "node:crypto";
import { phc } from "./phc.ts";
import type { Scheme, SchemeLimits } from "./scheme.ts";
import { DEFAULT_LIMITS, SchemeError, schemeOf } from "./scheme.ts";
import { scrypt } from "./scrypt.ts";

/** Bytes of salt in a record made here. */
export const SALT_LENGTH = 16;
/** Bytes of hash in a record made here. */
export const HASH_LENGTH = 32;

/** Shortest salt and hash that are accepted from elsewhere; below, a record proves nothing. */
const MIN_SALT_LENGTH = 8;
const MIN_HASH_LENGTH = 16;
const MAX_FIELD_LENGTH = 64;

/** A record as read: its scheme, salt and hash. */
export interface PasswordRecord {
  readonly scheme: Scheme;
  readonly salt: Uint8Array;
  readonly hash: Uint8Array;
}

/**
 * Reads a whole record.
 * @throws PhcReadError or SchemeError if it is malformed, of an unknown scheme, or above the limits.
 */
export function readRecord(text: string, limits: SchemeLimits = DEFAULT_LIMITS): PasswordRecord {
  const parts = phc.decode(text);
  const scheme = schemeOf(parts, limits);
  if (parts.salt === undefined || parts.hash === undefined) {
    throw new SchemeError("a record needs a salt and a hash after its parameters");
  }
  assertLength("salt", parts.salt, MIN_SALT_LENGTH);
  assertLength("hash", parts.hash, MIN_HASH_LENGTH);
  return { scheme, salt: parts.salt, hash: parts.hash };
}

/**
 * Makes a record.
 * @param password prepared text (see `preparePassword`).
 * @param salt 16 bytes from the platform's CSPRNG, never used before.
 * @returns the PHC string to store.
 */
export async function makeRecord(password: string, scheme: Scheme, salt: Uint8Array): Promise<string> {
  if (salt.length !== SALT_LENGTH)
    throw new RangeError(`a salt has ${SALT_LENGTH} bytes, this one ${salt.length}`);
  const hash = await compute(password, { scheme, salt }, HASH_LENGTH);
  const { ln, r, p } = scheme.parameters;
  const parameters = [
    ["ln", String(ln)],
    ["r", String(r)],
    ["p", String(p)],
  ] as const;
  return phc.encode({ id: scheme.id, parameters, salt, hash });
}

/** Whether the prepared password is the record's, compared in constant time. */
export async function checkRecord(password: string, record: PasswordRecord): Promise<boolean> {
  const hash = await compute(password, record, record.hash.length);
  return equalInConstantTime(hash, record.hash);
}

/** Whether a record should be re-made at the next right password: other scheme, other parameters, or too short. */
export function isOutdated(record: PasswordRecord, configured: Scheme): boolean {
  return (
    record.scheme.text !== configured.text ||
    record.salt.length < SALT_LENGTH ||
    record.hash.length < HASH_LENGTH
  );
}

/** Compares without telling by its time where two byte strings first differ. Unequal lengths are unequal. */
export function equalInConstantTime(left: Uint8Array, right: Uint8Array): boolean {
  return left.length === right.length && timingSafeEqual(left, right);
}

function compute(
  password: string,
  { scheme, salt }: Pick<PasswordRecord, "scheme" | "salt">,
  length: number,
): Promise<Uint8Array> {
  return scrypt(new TextEncoder().encode(password), salt, scheme.parameters, length);
}

function assertLength(part: string, bytes: Uint8Array, minimum: number): void {
  if (bytes.length < minimum || bytes.length > MAX_FIELD_LENGTH) {
    throw new SchemeError(
      `the ${part} has ${bytes.length} bytes; ${minimum} to ${MAX_FIELD_LENGTH} are accepted`,
    );
  }
}
