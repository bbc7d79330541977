/** One-time codes of authenticator apps: HOTP (RFC 4226) and TOTP (RFC 6238). */
import { createHmac, timingSafeEqual } from "node:crypto";

/** Hash functions of a TOTP secret (RFC 6238 section 1.2). */
export const TOTP_ALGORITHMS = ["SHA1", "SHA256", "SHA512"] as const;
/** One of `TOTP_ALGORITHMS`. */
export type TotpAlgorithm = (typeof TOTP_ALGORITHMS)[number];

/** Digits of a code (RFC 4226 section 5.3). */
export const TOTP_DIGITS = [6, 8] as const;
/** Seconds of a time step (RFC 6238 section 4). */
export const TOTP_PERIODS = [30, 60] as const;

/** How an authenticator counts. `period` in seconds. */
export interface TotpSettings {
  readonly algorithm: TotpAlgorithm;
  readonly digits: (typeof TOTP_DIGITS)[number];
  readonly period: (typeof TOTP_PERIODS)[number];
}

/** What every authenticator app can do. */
export const USUAL_TOTP: TotpSettings = { algorithm: "SHA1", digits: 6, period: 30 };

/** Bytes of a new secret: as long as the hash (RFC 6238 section 5.1), and never under 128 bits (RFC 4226 section 4). */
export const TOTP_SECRET_BYTES: Readonly<Record<TotpAlgorithm, number>> = {
  SHA1: 20,
  SHA256: 32,
  SHA512: 64,
};
/** The shortest secret that is taken from elsewhere. */
export const MIN_SECRET_BYTES = 16;

/** The shortest that is taken with others from another system, for a while: 80 bits, as many applications made them. */
export const SHORT_SECRET_BYTES = 10;

/** Steps before and after the present one whose codes are taken (RFC 6238 section 5.2). */
const SLACK = 1;

/** Milliseconds in which a begun enrolment must be confirmed. */
export const ENROLMENT_LIFE = 15 * 60_000;

/** Authenticators that one account may have. */
export const MAX_AUTHENTICATORS = 10;

/**
 * The code of a counter (RFC 4226 section 5.3), leading zeros kept.
 * @param counter 0 to 2^53 - 1.
 * @example
 * ```ts
 * // RFC 4226 appendix D
 * hotp(Buffer.from("12345678901234567890"), 1, { algorithm: "SHA1", digits: 6 }) // → "287082"
 * ```
 */
export function hotp(
  secret: Uint8Array,
  counter: number,
  { algorithm, digits }: Pick<TotpSettings, "algorithm" | "digits">,
): string {
  const message = Buffer.alloc(8);
  message.writeBigUInt64BE(BigInt(counter));
  const mac = createHmac(algorithm, secret).update(message).digest();
  const offset = (mac.at(-1) ?? 0) & 0xf;
  const number = mac.readUInt32BE(offset) & 0x7fffffff;
  return String(number % 10 ** digits).padStart(digits, "0");
}

/**
 * The time step of a moment (RFC 6238 section 4.2).
 * @example
 * ```ts
 * totpStep(new Date(59_000), { period: 30 }) // → 1
 * ```
 */
export function totpStep(now: Date, { period }: Pick<TotpSettings, "period">): number {
  return Math.floor(now.getTime() / 1_000 / period);
}

/**
 * The code of a moment.
 * @example
 * ```ts
 * // RFC 6238 appendix B
 * totp(Buffer.from("12345678901234567890"), new Date(59_000), { algorithm: "SHA1", digits: 8, period: 30 }) // → "94287082"
 * ```
 */
export function totp(secret: Uint8Array, now: Date, settings: TotpSettings): string {
  return hotp(secret, totpStep(now, settings), settings);
}

/**
 * Seconds for which the code of a moment still is the present one.
 * @example
 * ```ts
 * totpSecondsLeft(new Date(59_000), { period: 30 }) // → 1
 * ```
 */
export function totpSecondsLeft(now: Date, { period }: Pick<TotpSettings, "period">): number {
  return period - (Math.floor(now.getTime() / 1_000) % period);
}

/** What a code turned out to be. */
export type TotpMatch =
  /** `step` is to be spent: no code of it, or of an earlier one, is taken again. `offset` says how many steps it is from the present one. */
  | { readonly outcome: "right"; readonly step: number; readonly offset: number }
  /** Right once, but its step is spent. */
  | { readonly outcome: "used" }
  | { readonly outcome: "wrong" };

/**
 * Compares a code with those of the present step and its neighbours. All are computed and compared in constant time, whether or
 * not an early one matches.
 * @param code as `readTotpCode` gives it.
 * @param lastStep the last one spent, if any. @param drift steps by which the window is shifted (RFC 6238 section 6); it stays as wide.
 * @example
 * ```ts
 * const secret = Buffer.from("12345678901234567890");
 * matchTotp({ secret, settings: USUAL_TOTP, lastStep: null }, "287082", new Date(59_000)).outcome // → "right"
 * matchTotp({ secret, settings: USUAL_TOTP, lastStep: 1 }, "287082", new Date(59_000)).outcome // → "used"
 * ```
 */
export function matchTotp(
  {
    secret,
    settings,
    lastStep,
    drift = 0,
  }: { secret: Uint8Array; settings: TotpSettings; lastStep: number | null; drift?: number },
  code: string,
  now: Date,
): TotpMatch {
  const present = totpStep(now, settings);
  const shown = Buffer.from(code);
  let match: TotpMatch = { outcome: "wrong" };
  for (let offset = drift - SLACK; offset <= drift + SLACK; offset += 1) {
    const step = present + offset;
    const wanted = Buffer.from(hotp(secret, Math.max(0, step), settings));
    if (wanted.length !== shown.length || !timingSafeEqual(wanted, shown) || match.outcome === "right")
      continue;
    match = lastStep !== null && step <= lastStep ? { outcome: "used" } : { outcome: "right", step, offset };
  }
  return match;
}

/** What is remembered of an authenticator's clock, in steps. */
export interface ClockDrift {
  readonly drift: number;
  /** That of the last code taken; `null`: none was. */
  readonly lastOffset: number | null;
}

/** Steps that a clock may be off and still be followed. */
const MAX_DRIFT = 20;

/**
 * The drift after a code was taken (RFC 6238 section 6). Two in a row at one offset are a clock that is off; a single one may be somebody
 * who typed slowly, and shifts nothing.
 */
export function driftAfter({ drift, lastOffset }: ClockDrift, offset: number): ClockDrift {
  const isSteady = lastOffset === offset && Math.abs(offset) <= MAX_DRIFT;
  return { drift: isSteady ? offset : drift, lastOffset: offset };
}

/**
 * Reads a typed code as text of exactly so many digits. Blanks and dashes are left out; digits of other scripts are read as digits.
 * @returns `null` if it is no such code.
 * @example
 * ```ts
 * readTotpCode("287 082", 6) // → "287082"
 * readTotpCode("28708", 6) // → null
 * ```
 */
export function readTotpCode(typed: string, digits: number): string | null {
  const text = typed
    .normalize("NFKC")
    .replace(/[\s-]/g, "")
    .replace(/\p{Nd}/gu, toAsciiDigit);
  return text.length === digits && /^[0-9]+$/.test(text) ? text : null;
}

/** The digits of every script stand together, zero first (Unicode Standard, section 4.6). */
function toAsciiDigit(digit: string): string {
  const point = digit.codePointAt(0) ?? 0;
  if (point < 0x80) return digit;
  let zero = point;
  while (point - zero < 9 && /\p{Nd}/u.test(String.fromCodePoint(zero - 1))) zero -= 1;
  return String(point - zero);
}
