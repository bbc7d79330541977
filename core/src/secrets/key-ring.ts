/** The key ring: keys kept outside the database, each with an id, one of them current. */
import { hkdfSync } from "node:crypto";

/** Keys of 32 bytes by their ids, and the one that new things are sealed under. */
export interface KeyRing {
  /** Id of the key that new things are made with. */
  readonly current: string;
  /** 32 bytes each, by id. */
  readonly keys: ReadonlyMap<string, Uint8Array>;
}

/** Bytes of a key. */
export const KEY_BYTES = 32;

const ID = /^[a-z0-9][a-z0-9-]{0,31}$/;
const BASE64URL = /^[A-Za-z0-9_-]{43}$/;

/** Says what is wrong with a key ring; never with a key's value in it. */
export class KeyRingError extends Error {
  override readonly name = "KeyRingError";
}

/**
 * Reads a key ring from its parsed file: `{current: "k1", keys: {k1: "<32 bytes in base64url>"}}`.
 * @throws KeyRingError for a missing, short, repeated or default-looking key.
 * @example
 * ```ts
 * readKeyRing({ current: "k1", keys: { k1: "AAECAwQFBgcICQoLDA0ODxAREhMUFRYXGBkaGxwdHh8" } }).current // → "k1"
 * ```
 */
export function readKeyRing(parsed: unknown): KeyRing {
  if (!isRecord(parsed) || !isRecord(parsed["keys"]))
    throw new KeyRingError("expected `current: ID` and `keys: {ID: KEY}`");
  const { current, keys } = parsed;
  const ring = new Map<string, Uint8Array>();
  for (const [id, text] of Object.entries(keys as Record<string, unknown>)) {
    if (!ID.test(id)) throw new KeyRingError("a key's id is not made of a-z, 0-9 and -");
    if (typeof text !== "string" || !BASE64URL.test(text)) {
      throw new KeyRingError(`key ${id} is not ${KEY_BYTES} bytes in base64url (43 characters)`);
    }
    const key = new Uint8Array(Buffer.from(text, "base64url"));
    if (new Set(key).size < 8) throw new KeyRingError(`key ${id} is not random`);
    ring.set(id, key);
  }
  if (typeof current !== "string" || !ring.has(current))
    throw new KeyRingError("`current` names none of the keys");
  return { current, keys: ring };
}

/**
 * A key for one purpose, so that no key serves two (RFC 5869).
 * @example
 * ```ts
 * deriveKey(new Uint8Array(32), "sealing").length // → 32
 * ```
 */
export function deriveKey(key: Uint8Array, purpose: string): Uint8Array {
  return new Uint8Array(hkdfSync("sha256", key, new Uint8Array(), `lucchetto ${purpose}`, KEY_BYTES));
}

function isRecord(value: unknown): value is Record<string, unknown> {
  return typeof value === "object" && value !== null && !Array.isArray(value);
}
