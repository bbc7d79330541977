/** base64url without padding (RFC 4648 section 5), as the JSON forms of Web Authentication carry bytes; exactly one text per bytes. */
import { PasskeyFault } from "./fault.ts";

const ALPHABET = /^[A-Za-z0-9_-]*$/;

/** @throws PasskeyFault `passkey-malformed` for another alphabet, padding, or bits left over in the last character. */
export function readBase64url(text: unknown, member: string): Buffer {
  if (typeof text !== "string") throw new PasskeyFault("passkey-malformed", `${member} is no text`);
  const bytes = Buffer.from(text, "base64url");
  if (!ALPHABET.test(text) || bytes.toString("base64url") !== text)
    throw new PasskeyFault("passkey-malformed", `${member} is not base64url without padding`);
  return bytes;
}
