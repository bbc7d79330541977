/** The client data that the browser collected (Web Authentication Level 3, section 5.8.1). */
import { timingSafeEqual } from "node:crypto";
import { readBase64url } from "./base64url.ts";
import { PasskeyFault } from "./fault.ts";

/** What the relying party expects of both ceremonies. */
export interface ExpectedClientData {
  /** As it was issued. */
  readonly challenge: Uint8Array;
  /** Compared whole, such as `https://accounts.example`. */
  readonly origins: readonly string[];
  /** Origins whose pages may frame ours; none, unless framing is configured. */
  readonly topOrigins: readonly string[];
}

/** Client data is some hundred bytes. */
const MAX_CLIENT_DATA_BYTES = 8_192;

const utf8 = new TextDecoder("utf-8", { fatal: true, ignoreBOM: true });

/**
 * Checks it: sections 7.1 and 7.2, steps "C.type" to "C.topOrigin".
 * @param bytes as received; the signature covers exactly these.
 */
export function checkClientData(
  bytes: Uint8Array,
  type: "webauthn.create" | "webauthn.get",
  expected: ExpectedClientData,
): void {
  const client = parse(bytes);
  if (client["type"] !== type)
    throw new PasskeyFault("passkey-ceremony-mismatch", `the client data's type is not ${type}`);
  const challenge = readBase64url(client["challenge"], "the client data's challenge");
  if (challenge.length !== expected.challenge.length || !timingSafeEqual(challenge, expected.challenge))
    throw new PasskeyFault("passkey-challenge-mismatch", "it answers another challenge");
  const { origin, crossOrigin, topOrigin } = client;
  if (typeof origin !== "string")
    throw new PasskeyFault("passkey-malformed", "the client data has no origin");
  if (!expected.origins.includes(origin))
    throw new PasskeyFault(
      "passkey-origin-mismatch",
      `it was made at ${JSON.stringify(origin.slice(0, 200))}; expected ${expected.origins.join(" or ")}`,
    );
  checkFraming({ crossOrigin, topOrigin }, expected.topOrigins);
}

function checkFraming(
  { crossOrigin, topOrigin }: { crossOrigin: unknown; topOrigin: unknown },
  topOrigins: readonly string[],
): void {
  if ((crossOrigin === undefined || crossOrigin === false) && topOrigin === undefined) return;
  const isListed = typeof topOrigin === "string" && topOrigins.includes(topOrigin);
  if (crossOrigin === true && isListed) return;
  throw new PasskeyFault("passkey-framed", "it was made in a frame of another origin's page");
}

/** UTF-8, a JSON object, every member once. */
function parse(bytes: Uint8Array): Record<string, unknown> {
  if (bytes.length > MAX_CLIENT_DATA_BYTES)
    throw new PasskeyFault("passkey-malformed", "the client data is too long");
  let parsed: unknown;
  let text: string;
  try {
    text = utf8.decode(bytes);
    parsed = JSON.parse(text);
  } catch {
    throw new PasskeyFault("passkey-malformed", "the client data is not JSON in UTF-8");
  }
  if (typeof parsed !== "object" || parsed === null || Array.isArray(parsed))
    throw new PasskeyFault("passkey-malformed", "the client data is no JSON object");
  if (namesIn(text) !== Object.keys(parsed).length)
    throw new PasskeyFault("passkey-malformed", "the client data has a member twice");
  return parsed as Record<string, unknown>;
}

const STRING_OR_SIGN = /"(?:[^"\\]|\\.)*"|[{}[\]:]/g;

/** How many members the object of a well-formed JSON text has; readers differ in which of two they take. */
function namesIn(text: string): number {
  let depth = 0;
  let names = 0;
  for (const [sign] of text.matchAll(STRING_OR_SIGN)) {
    if (sign === "{" || sign === "[") depth += 1;
    else if (sign === "}" || sign === "]") depth -= 1;
    else if (sign === ":" && depth === 1) names += 1;
  }
  return names;
}
