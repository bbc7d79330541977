/**
 * Old digests that wait to be wrapped: sealed under the key ring, so that they are useless in a dump of the database, and written
 * as a PHC string of our own in the place of a record: `$sealed$key=k1,recipe=r1$<nonce>$<box>`.
 */
import { phc, PhcReadError } from "../password/phc.ts";
import { RECIPE_ID } from "../password/scheme.ts";
import type { KeyRing } from "./key-ring.ts";
import { NONCE_LENGTH, open, seal, SealError } from "./seal.ts";

/** With what such a record begins. */
export const SEALED_DIGEST_PREFIX = "$sealed$";

/** Bytes of an old digest at most. */
export const MAX_OLD_DIGEST = 200;

/** An old digest, sealed until it is wrapped or its owner signs in. */
export interface SealedDigest {
  readonly keyId: string;
  readonly recipe: string;
  /** As `open` takes it. */
  readonly sealed: string;
}

const placeOf = (accountId: string) => ({
  table: "password_record",
  record: accountId,
  purpose: "old-digest",
});

/**
 * @param nonce 12 bytes from the platform's CSPRNG, never used before.
 * @returns what stands in the place of the account's record. @throws RangeError for a digest that is too long.
 */
export function sealDigest(
  ring: KeyRing,
  { digest, recipe, accountId }: { digest: Uint8Array; recipe: string; accountId: string },
  nonce: Uint8Array,
): string {
  if (digest.length > MAX_OLD_DIGEST)
    throw new RangeError(`an old digest has at most ${MAX_OLD_DIGEST} bytes`);
  const sealed = seal(ring, Buffer.from(digest).toString("base64"), placeOf(accountId), nonce);
  const bytes = new Uint8Array(Buffer.from(sealed.slice(sealed.indexOf(":") + 1), "base64url"));
  return phc.encode({
    id: "sealed",
    parameters: [
      ["key", ring.current],
      ["recipe", recipe],
    ],
    salt: bytes.slice(0, NONCE_LENGTH),
    hash: bytes.slice(NONCE_LENGTH),
  });
}

/** Reads one, without opening it; `null` if the text is none. */
export function readSealedDigest(text: string): SealedDigest | null {
  if (!text.startsWith(SEALED_DIGEST_PREFIX)) return null;
  try {
    const { parameters, salt, hash } = phc.decode(text);
    const [[first, keyId = ""] = [], [second, recipe = ""] = [], ...more] = parameters;
    if (first !== "key" || second !== "recipe" || more.length > 0 || !RECIPE_ID.test(recipe)) return null;
    if (salt === undefined || hash === undefined) return null;
    const box = Buffer.concat([salt, hash]).toString("base64url");
    return { keyId, recipe, sealed: `${keyId}:${box}` };
  } catch (error) {
    if (error instanceof PhcReadError) return null;
    throw error;
  }
}

/** The digest; `null` if it does not open here: changed, of another account, or its key is not in the ring. */
export function openDigest(ring: KeyRing, { sealed }: SealedDigest, accountId: string): Uint8Array | null {
  try {
    return new Uint8Array(Buffer.from(open(ring, sealed, placeOf(accountId)), "base64"));
  } catch (error) {
    if (error instanceof SealError) return null;
    throw error;
  }
}
