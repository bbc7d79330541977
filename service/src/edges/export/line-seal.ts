/**
 * The seal of an export: each line carries, as its last member, an HMAC-SHA-256 (RFC 2104) of its number and its text, under a random
 * key of this one export. The first line holds that key, encrypted to the recipient's public key and under the key ring, so that
 * whoever has the file alone can change, move, add or leave out no line of it without being noticed.
 */
import { createHmac, randomBytes } from "node:crypto";
import type { KeyRing, SealedPlace } from "@lucchetto/core";
import { equalInConstantTime, NONCE_LENGTH, open, seal, sealedUnder, SealError } from "@lucchetto/core";
import type { SealKey } from "./form.ts";
import type { openWith, sealTo } from "./sealed-secret.ts";

const KEY_LENGTH = 32;
const PLACE: SealedPlace = { table: "export", record: "first-line", purpose: "line-seal" };
const LINE_END = /,"seal":"([A-Za-z0-9_-]{43})"\}$/;

/** Writes lines with their seals; without a key ring and a recipient nobody could check one, and there is none. */
interface LineSealer {
  /** For the first line. */
  readonly sealKey: SealKey | null;
  /** @param line from 1. @returns JSON without a line end. */
  write(line: number, value: object): string;
}

/** Draws the key of an export. */
export async function newLineSealer(
  keyRing: KeyRing | null,
  recipient: Awaited<ReturnType<typeof sealTo>> | null,
): Promise<LineSealer> {
  if (keyRing === null && recipient === null)
    return { sealKey: null, write: (_line, value) => JSON.stringify(value) };
  const key = randomBytes(KEY_LENGTH);
  const text = key.toString("base64url");
  return {
    sealKey: {
      recipient: recipient === null ? null : await recipient.seal(text),
      keyRing: keyRing === null ? null : seal(keyRing, text, PLACE, randomBytes(NONCE_LENGTH)),
    },
    write(line, value) {
      const whole = JSON.stringify(value);
      const mac = macOf(key, line, Buffer.from(whole, "utf8")).toString("base64url");
      return `${whole.slice(0, -1)},"seal":"${mac}"}`;
    },
  };
}

/**
 * The key of an export, from its first line.
 * @returns `null` where neither opens: the key ring has not the key, and there is no private key.
 * @throws ExportRefusal where the private key is another one.
 */
export async function openSealKey(
  { keyRing: underRing, recipient }: SealKey,
  { keyRing, openSealed }: { keyRing: KeyRing | null; openSealed: ReturnType<typeof openWith> | null },
): Promise<Uint8Array | null> {
  if (underRing !== null && keyRing?.keys.has(sealedUnder(underRing) ?? "") === true) {
    try {
      return Buffer.from(open(keyRing, underRing, PLACE), "base64url");
    } catch (error) {
      // Another ring may call a key of its own by the same name.
      if (!(error instanceof SealError)) throw error;
    }
  }
  if (recipient === null || openSealed === null) return null;
  return Buffer.from(await openSealed(recipient), "base64url");
}

/** @param text each letter a byte. @returns the line as it was written, without its seal; `null` if that is not its seal at this place. */
export function checkLine(key: Uint8Array, line: number, text: string): string | null {
  const found = LINE_END.exec(text);
  if (found === null) return null;
  const whole = `${text.slice(0, found.index)}}`;
  const mac = macOf(key, line, Buffer.from(whole, "latin1"));
  return equalInConstantTime(mac, Buffer.from(found[1] ?? "", "base64url")) ? whole : null;
}

/** @param text each letter a byte. @returns the line without what may be its seal, which nobody looks at. */
export function withoutSeal(text: string): string {
  return text.replace(LINE_END, "}");
}

function macOf(key: Uint8Array, line: number, bytes: Uint8Array): Buffer {
  return createHmac("sha256", key).update(`${line}\n`).update(bytes).digest();
}
