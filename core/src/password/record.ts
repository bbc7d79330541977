/** Password records: made, checked, and asked whether they are older than configured. One format, PHC. */
import { createHmac, timingSafeEqual } from "node:crypto";
import type { SchemeLimits } from "./algorithms/index.ts";
import { DEFAULT_LIMITS } from "./algorithms/index.ts";
import type { PhcString } from "./phc.ts";
import { phc } from "./phc.ts";
import { assertText } from "./prepare.ts";
import type { Scheme } from "./scheme.ts";
import { SchemeError, schemeOf, schemeTextOf } from "./scheme.ts";

/** Bytes of salt in a record made here. */
export const SALT_LENGTH = 16;
/** Bytes of hash in a record made here. */
export const HASH_LENGTH = 32;

/** Shortest salt and hash that are accepted from elsewhere; below, a record proves nothing. */
const MIN_SALT_LENGTH = 8;
const MIN_HASH_LENGTH = 16;
const MAX_FIELD_LENGTH = 64;

/** The keys of the pepper by id, each derived for this purpose alone. A record may name one that is not there. */
export type Peppers = ReadonlyMap<string, Uint8Array>;

/** A record names a pepper key that is not there: nobody can tell whether a password is right. */
export class MissingPepperError extends Error {
  override readonly name = "MissingPepperError";
  readonly keyId: string;
  constructor(keyId: string) {
    super(`the key ${keyId}, under which this record is peppered, is not in the key ring`);
    this.keyId = keyId;
  }
}

const NO_PEPPERS: Peppers = new Map();

/** A record as read: its scheme, salt and hash. */
export interface PasswordRecord {
  readonly scheme: Scheme;
  readonly salt: Uint8Array;
  readonly hash: Uint8Array;
}

/**
 * Reads a whole record.
 * @throws PhcReadError or SchemeError if it is malformed, of an unknown scheme, or above the limits.
 * @example
 * ```ts
 * readRecord("$scrypt$ln=10,r=8,p=1$c2FsdHNhbHRzYWx0c2FsdA$" + "A".repeat(43)).scheme.text // → "$scrypt$ln=10,r=8,p=1"
 * ```
 */
export function readRecord(text: string, limits: SchemeLimits = DEFAULT_LIMITS): PasswordRecord {
  const parts = phc.decode(text);
  const scheme = limits === DEFAULT_LIMITS ? knownScheme(text, parts) : schemeOf(parts, limits);
  if (parts.salt === undefined || parts.hash === undefined) {
    throw new SchemeError("a record needs a salt and a hash after its parameters");
  }
  assertLength("salt", parts.salt, MIN_SALT_LENGTH);
  assertLength("hash", parts.hash, MIN_HASH_LENGTH);
  const wanted = scheme.pepper === null ? scheme.algorithm.fixedLength : HASH_LENGTH;
  if (wanted !== undefined && parts.hash.length !== wanted) {
    throw new SchemeError(
      `the hash has ${parts.hash.length} bytes; a record of ${scheme.text} has ${wanted}`,
    );
  }
  return { scheme, salt: parts.salt, hash: parts.hash };
}

/** Schemes by their prefix: a database holds many records of few of them. */
const SCHEMES = new Map<string, Scheme>();
const MAX_SCHEMES = 200;

function knownScheme(text: string, parts: PhcString): Scheme {
  // Of a text that is cut, what stands before its last two parts is no prefix.
  if (parts.salt === undefined || parts.hash === undefined) return schemeOf(parts);
  const prefix = schemeTextOf(text);
  const known = SCHEMES.get(prefix);
  if (known !== undefined) return known;
  const scheme = schemeOf(parts);
  if (SCHEMES.size < MAX_SCHEMES) SCHEMES.set(prefix, scheme);
  return scheme;
}

/**
 * Makes a record.
 * @param password prepared text (see `preparePassword`).
 * @param salt 16 bytes from the platform's CSPRNG, never used before.
 * @returns the PHC string to store.
 * @throws MissingPepperError if the scheme names a key that `peppers` does not hold.
 */
export async function makeRecord(
  password: string,
  scheme: Scheme,
  salt: Uint8Array,
  peppers: Peppers = NO_PEPPERS,
): Promise<string> {
  assertText(password);
  if (scheme.recipe !== null) throw new RangeError("an old digest goes through this scheme, no password");
  return make(new TextEncoder().encode(password), { scheme, salt }, peppers);
}

/**
 * Makes a record of an old digest, so that nothing weak is at rest.
 * @param digest what the recipe makes of the password.
 * @param scheme names the recipe (`withRecipe`). @param salt as for `makeRecord`.
 * @throws MissingPepperError as `makeRecord`.
 */
export async function wrapDigest(
  digest: Uint8Array,
  scheme: Scheme,
  salt: Uint8Array,
  peppers: Peppers = NO_PEPPERS,
): Promise<string> {
  if (scheme.recipe === null) throw new RangeError("the scheme names no recipe");
  return make(digest, { scheme, salt }, peppers);
}

async function make(
  secret: Uint8Array,
  { scheme, salt }: Pick<PasswordRecord, "scheme" | "salt">,
  peppers: Peppers,
): Promise<string> {
  if (salt.length !== SALT_LENGTH)
    throw new RangeError(`a salt has ${SALT_LENGTH} bytes, this one ${salt.length}`);
  if (!scheme.algorithm.makes) throw new RangeError(`no records are made with ${scheme.algorithm.id}`);
  const hash = await compute(secret, { scheme, salt }, HASH_LENGTH, peppers);
  if (hash === null) throw new RangeError(`${scheme.algorithm.id} cannot take this password`);
  const parts = phc.decode(scheme.text);
  return phc.encode({ ...parts, salt, hash });
}

/**
 * Whether the prepared password is the record's, compared in constant time. A record of an old digest matches no password.
 * @throws MissingPepperError if the record names a key that `peppers` does not hold.
 */
export async function checkRecord(
  password: string,
  record: PasswordRecord,
  peppers: Peppers = NO_PEPPERS,
): Promise<boolean> {
  assertText(password);
  const matches = await isOf(new TextEncoder().encode(password), record, peppers);
  return matches && record.scheme.recipe === null;
}

/**
 * Whether an old digest, made by the record's recipe of what was typed, is the one that was wrapped.
 * @param digest `null`: the recipe can make none of it; it costs the same and does not match.
 * @throws MissingPepperError as `checkRecord`.
 */
export async function checkWrapped(
  digest: Uint8Array | null,
  record: PasswordRecord,
  peppers: Peppers = NO_PEPPERS,
): Promise<boolean> {
  const matches = await isOf(digest ?? new Uint8Array(), record, peppers);
  return matches && digest !== null && record.scheme.recipe !== null;
}

async function isOf(secret: Uint8Array, record: PasswordRecord, peppers: Peppers): Promise<boolean> {
  const hash = await compute(secret, record, record.hash.length, peppers);
  return hash !== null && equalInConstantTime(hash, record.hash);
}

/** Whether a record should be re-made at the next right password: other scheme, other parameters, or too short. */
export function isOutdated(record: PasswordRecord, configured: Scheme): boolean {
  return (
    record.scheme.text !== configured.text ||
    record.salt.length < SALT_LENGTH ||
    record.hash.length < HASH_LENGTH
  );
}

/**
 * Compares without telling by its time where two byte strings first differ. Unequal lengths are unequal.
 * @example
 * ```ts
 * equalInConstantTime(Uint8Array.of(1, 2), Uint8Array.of(1, 2)) // → true
 * ```
 */
export function equalInConstantTime(left: Uint8Array, right: Uint8Array): boolean {
  return left.length === right.length && timingSafeEqual(left, right);
}

/** The hash, and over it the pepper: HMAC-SHA-256 (RFC 2104) under a key that the database does not hold. */
async function compute(
  secret: Uint8Array,
  { scheme, salt }: Pick<PasswordRecord, "scheme" | "salt">,
  length: number,
  peppers: Peppers,
): Promise<Uint8Array | null> {
  const { algorithm, parameters, pepper } = scheme;
  const key = pepper === null ? null : peppers.get(pepper);
  if (key === undefined) throw new MissingPepperError(pepper ?? "");
  const hash = await algorithm.digest(secret, salt, parameters, length);
  if (hash === null || key === null) return hash;
  return new Uint8Array(createHmac("sha256", key).update(hash).digest());
}

function assertLength(part: string, bytes: Uint8Array, minimum: number): void {
  if (bytes.length < minimum || bytes.length > MAX_FIELD_LENGTH) {
    throw new SchemeError(
      `the ${part} has ${bytes.length} bytes; ${minimum} to ${MAX_FIELD_LENGTH} are accepted`,
    );
  }
}
