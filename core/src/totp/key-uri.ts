/** Key URIs (`otpauth://totp/…`), by which an authenticator takes a secret over, mostly from a QR code. */
import { readBase32, writeBase32 } from "./base32.ts";
import type { TotpSettings } from "./totp.ts";
import { MIN_SECRET_BYTES, TOTP_ALGORITHMS, TOTP_DIGITS, TOTP_PERIODS, USUAL_TOTP } from "./totp.ts";

/** What an `otpauth:` address says. */
export interface KeyUri {
  /** The site's name. */
  readonly issuer: string;
  /** How the account is called there. */
  readonly account: string;
  readonly secret: Uint8Array;
  readonly settings: TotpSettings;
}

/** What is no key URI that can be used. */
export class KeyUriError extends Error {
  override readonly name = "KeyUriError";
}

/**
 * Writes one. The issuer stands in the label and as a parameter, and both agree; a blank is %20, a colon inside a name %3A.
 * @example
 * ```ts
 * writeKeyUri({ issuer: "Brina Huts", account: "anna", secret: Buffer.from("12345678901234567890"), settings: USUAL_TOTP }) // → "otpauth://totp/Brina%20Huts:anna?secret=GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ&issuer=Brina%20Huts&algorithm=SHA1&digits=6&period=30"
 * ```
 */
export function writeKeyUri({ issuer, account, secret, settings }: KeyUri): string {
  const { algorithm, digits, period } = settings;
  const parameters = { secret: writeBase32(secret), issuer, algorithm, digits, period };
  const query = Object.entries(parameters).map(([name, value]) => `${name}=${encodeURIComponent(value)}`);
  return `otpauth://totp/${encodeURIComponent(issuer)}:${encodeURIComponent(account)}?${query.join("&")}`;
}

/**
 * Reads one; what is left out has its usual value.
 * @param leastBytes the shortest secret that is taken.
 * @throws KeyUriError, Base32Error.
 * @example
 * ```ts
 * readKeyUri("otpauth://totp/Brina%20Huts:anna?secret=GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ&issuer=Brina%20Huts").account // → "anna"
 * ```
 */
export function readKeyUri(text: string, leastBytes = MIN_SECRET_BYTES): KeyUri {
  const match = /^otpauth:\/\/totp\/([^?#]*)\?([^#]*)$/i.exec(text.trim());
  if (match === null) throw new KeyUriError("this is no key URI: it begins with otpauth://totp/");
  const [, label = "", query = ""] = match;
  const parameters = new URLSearchParams(query);
  const [first = "", ...rest] = label.split(":");
  const account = rest.length === 0 ? first : rest.join(":");
  const secret = readBase32(parameters.get("secret") ?? "");
  if (secret.length < leastBytes) throw new KeyUriError(`the secret has under ${leastBytes * 8} bits`);
  return {
    issuer: parameters.get("issuer") ?? (rest.length === 0 ? "" : decode(first)),
    account: decode(account).trim(),
    secret,
    settings: {
      algorithm: oneOf(parameters, "algorithm", TOTP_ALGORITHMS, USUAL_TOTP.algorithm),
      digits: oneOf(parameters, "digits", TOTP_DIGITS, USUAL_TOTP.digits),
      period: oneOf(parameters, "period", TOTP_PERIODS, USUAL_TOTP.period),
    },
  };
}

function oneOf<Value extends string | number>(
  parameters: URLSearchParams,
  name: string,
  values: readonly Value[],
  usual: Value,
): Value {
  const given = parameters.get(name);
  if (given === null) return usual;
  const found = values.find((value) => String(value) === given.toUpperCase());
  if (found === undefined) throw new KeyUriError(`${name} is one of ${values.join(", ")}, not “${given}”`);
  return found;
}

function decode(part: string): string {
  try {
    return decodeURIComponent(part);
  } catch {
    throw new KeyUriError("the label is not percent-encoded as it should be");
  }
}
