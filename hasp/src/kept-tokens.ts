/** Where an application's server keeps the tokens of visitors who signed in with a form of its own. The browser gets a handle alone. */
import { createCipheriv, createDecipheriv, createHash, hkdfSync, randomBytes } from "node:crypto";

/** A store of short texts that an application may bring: a table, or what several instances share. Both key and value are of no use without the browser's handle. */
export interface KeptTokens {
  /** @returns `null`: nothing is kept, or not any more. */
  read(key: string): Promise<string | null> | string | null;
  /** @param seconds after which it may be forgotten. */
  write(key: string, value: string, seconds: number): Promise<void> | void;
  remove(key: string): Promise<void> | void;
}

const CIPHER = "aes-256-gcm";
const NONCE_BYTES = 12;
const TAG_BYTES = 16;

/** Keeps by handles: the store gets their hashes, and values sealed under keys made of them. */
export function keepSealed(store: KeptTokens): {
  read(handle: string): Promise<string | null>;
  write(handle: string, value: string, seconds: number): Promise<void>;
  remove(handle: string): Promise<void>;
} {
  return {
    async read(handle) {
      const sealed = await store.read(nameOf(handle));
      return sealed === null ? null : unseal(handle, Buffer.from(sealed, "base64url"));
    },
    write: async (handle, value, seconds) => store.write(nameOf(handle), seal(handle, value), seconds),
    remove: async (handle) => store.remove(nameOf(handle)),
  };
}

function nameOf(handle: string): string {
  return createHash("sha256").update(handle, "ascii").digest("base64url");
}

function keyOf(handle: string): Buffer {
  return Buffer.from(hkdfSync("sha256", handle, "", "lucchetto visitor at a form", 32));
}

function seal(handle: string, value: string): string {
  const nonce = randomBytes(NONCE_BYTES);
  const cipher = createCipheriv(CIPHER, keyOf(handle), nonce);
  const sealed = Buffer.concat([cipher.update(value, "utf8"), cipher.final()]);
  return Buffer.concat([nonce, cipher.getAuthTag(), sealed]).toString("base64url");
}

/** @returns `null` for what was not sealed under this handle: the visitor is a guest. */
function unseal(handle: string, whole: Buffer): string | null {
  const tagEnd = NONCE_BYTES + TAG_BYTES;
  if (whole.length <= tagEnd) return null;
  const decipher = createDecipheriv(CIPHER, keyOf(handle), whole.subarray(0, NONCE_BYTES));
  decipher.setAuthTag(whole.subarray(NONCE_BYTES, tagEnd));
  try {
    return Buffer.concat([decipher.update(whole.subarray(tagEnd)), decipher.final()]).toString("utf8");
  } catch {
    // Somebody changed what is kept.
    return null;
  }
}

/** Visitors remembered at once; beyond that the one that was there longest is forgotten. */
const MAX_KEPT = 100_000;

/** In this process's memory: after a restart people are still known at closed pages, and sign in again before they change something. */
export function tokensInMemory(now: () => number = Date.now): KeptTokens {
  const kept = new Map<string, { value: string; until: number }>();
  return {
    read(key) {
      const found = kept.get(key);
      if (found === undefined) return null;
      if (found.until > now()) return found.value;
      kept.delete(key);
      return null;
    },
    write(key, value, seconds) {
      kept.set(key, { value, until: now() + seconds * 1_000 });
      const [oldest] = kept.keys();
      if (kept.size > MAX_KEPT && oldest !== undefined) kept.delete(oldest);
    },
    remove: (key) => void kept.delete(key),
  };
}
