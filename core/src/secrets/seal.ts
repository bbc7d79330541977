/**
 * Sealing: secrets that must be read back are kept as AES-256-GCM (NIST SP 800-38D) under a key of the key ring, with a
 * fresh nonce of 96 bits, and bound to the place where they stand: moved to another row or column they do not open.
 */
import { createCipheriv, createDecipheriv } from "node:crypto";
import type { KeyRing } from "./key-ring.ts";
import { deriveKey } from "./key-ring.ts";

/** Where a sealed value stands. */
export interface SealedPlace {
  readonly table: string;
  /** The row's id. */
  readonly record: string;
  readonly purpose: string;
}

/** Bytes of a nonce, and of a tag. */
export const NONCE_LENGTH = 12;
const TAG_LENGTH = 16;
const CIPHER = "aes-256-gcm";
const SEALED = /^([a-z0-9][a-z0-9-]{0,31}):([A-Za-z0-9_-]+)$/;

/** A sealed value that does not open: changed, moved, or under a key that is not there. It is not said which. */
export class SealError extends Error {
  override readonly name = "SealError";
}

/**
 * Seals under the ring's current key.
 * @param nonce 12 bytes from the platform's CSPRNG, never used before.
 * @returns `keyId:` and nonce, text and tag in base64url.
 * @example
 * ```ts
 * const ring = { current: "k1", keys: new Map([["k1", new Uint8Array(32)]]) };
 * const place = { table: "authenticator", record: "7", purpose: "secret" };
 * sealedUnder(seal(ring, "bunk 7", place, new Uint8Array(12))) // → "k1"
 * ```
 */
export function seal(ring: KeyRing, plain: string, place: SealedPlace, nonce: Uint8Array): string {
  if (nonce.length !== NONCE_LENGTH) throw new RangeError(`a nonce has ${NONCE_LENGTH} bytes`);
  const cipher = createCipheriv(CIPHER, sealingKey(ring, ring.current), nonce, { authTagLength: TAG_LENGTH });
  cipher.setAAD(boundTo(ring.current, place));
  const sealed = Buffer.concat([nonce, cipher.update(plain, "utf8"), cipher.final(), cipher.getAuthTag()]);
  return `${ring.current}:${sealed.toString("base64url")}`;
}

/**
 * Opens what `seal` made for this place. @throws SealError.
 * @example
 * ```ts
 * const ring = { current: "k1", keys: new Map([["k1", new Uint8Array(32)]]) };
 * const place = { table: "authenticator", record: "7", purpose: "secret" };
 * open(ring, seal(ring, "bunk 7", place, new Uint8Array(12)), place) // → "bunk 7"
 * ```
 */
export function open(ring: KeyRing, sealed: string, place: SealedPlace): string {
  const [, keyId = "", body = ""] = SEALED.exec(sealed) ?? [];
  const bytes = Buffer.from(body, "base64url");
  if (bytes.length < NONCE_LENGTH + TAG_LENGTH || bytes.toString("base64url") !== body)
    throw new SealError("it is cut");
  try {
    const decipher = createDecipheriv(CIPHER, sealingKey(ring, keyId), bytes.subarray(0, NONCE_LENGTH), {
      authTagLength: TAG_LENGTH,
    });
    decipher.setAAD(boundTo(keyId, place));
    decipher.setAuthTag(bytes.subarray(bytes.length - TAG_LENGTH));
    const plain = decipher.update(bytes.subarray(NONCE_LENGTH, bytes.length - TAG_LENGTH));
    return Buffer.concat([plain, decipher.final()]).toString("utf8");
  } catch (error) {
    throw new SealError("it does not open here", { cause: error });
  }
}

/**
 * The id of the key that a sealed value needs; `null` if the text is none.
 * @example
 * ```ts
 * sealedUnder("k2:AAAA") // → "k2"
 * sealedUnder("plain text") // → null
 * ```
 */
export function sealedUnder(sealed: string): string | null {
  return SEALED.exec(sealed)?.[1] ?? null;
}

function sealingKey(ring: KeyRing, keyId: string): Uint8Array {
  const key = ring.keys.get(keyId);
  if (key === undefined) throw new SealError(`there is no key ${keyId}`);
  return deriveKey(key, "sealing");
}

/** None of the parts may hold the separator, so no two places are written alike. */
function boundTo(keyId: string, { table, record, purpose }: SealedPlace): Buffer {
  const parts = [keyId, table, record, purpose];
  if (parts.some((part) => part.includes("\n"))) throw new RangeError("a place is named in one line");
  return Buffer.from(parts.join("\n"), "utf8");
}
