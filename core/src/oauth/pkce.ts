/** Proof Key for Code Exchange, method S256 (RFC 7636). */
import { createHash, timingSafeEqual } from "node:crypto";

/** RFC 7636 section 4.1: 43 to 128 unreserved characters. */
const CODE_VERIFIER = /^[A-Za-z0-9\-._~]{43,128}$/;
/** Base64url of a SHA-256: 43 characters. */
const CODE_CHALLENGE = /^[A-Za-z0-9_-]{43}$/;

/**
 * Whether the text can be an S256 `code_challenge`.
 * @example
 * ```ts
 * isCodeChallenge("E9Melhoa2OwvFrEMTJguCHaoeK1t8URWbuGJSstw-cM") // → true
 * ```
 */
export function isCodeChallenge(text: string): boolean {
  return CODE_CHALLENGE.test(text);
}

/**
 * RFC 7636 section 4.6: BASE64URL(SHA256(ASCII(code_verifier))) == code_challenge, in constant time.
 * @example
 * ```ts
 * // RFC 7636 appendix B
 * verifierMatches("dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk", "E9Melhoa2OwvFrEMTJguCHaoeK1t8URWbuGJSstw-cM") // → true
 * ```
 */
export function verifierMatches(codeVerifier: string, codeChallenge: string): boolean {
  if (!CODE_VERIFIER.test(codeVerifier)) return false;
  const computed = createHash("sha256").update(codeVerifier, "ascii").digest();
  const expected = Buffer.from(codeChallenge, "base64url");
  return computed.length === expected.length && timingSafeEqual(computed, expected);
}
