/**
 * Identifiers of people in one documented normal form, the only form in which they are compared (RFC 8265 section 3.3
 * for the idea; stricter here). The database keeps the normal form in a binary collation, so that no loose comparison
 * of its own ever decides who somebody is.
 *
 * - An e-mail address: local part and domain lower-cased, the domain in its ASCII (IDNA) form, which is also what is shown
 *   and written to.
 * - A username: lower-cased. Letters, marks, digits and `.`, `_`, `-`; never `@`, so the two cannot be confused.
 *
 * Characters that Unicode calls equal to another single character, or a mere variant of it (Kelvin sign, full-width
 * letters), are refused rather than folded. Accents, `ß` and look-alikes of other scripts stay what they are.
 */
import { domainToASCII } from "node:url";

/** Longest e-mail address in octets (RFC 5321 section 4.5.3.1.3). */
export const MAX_EMAIL_LENGTH = 254;
/** Lengths of a username in code points of its normal form. */
export const MIN_USERNAME_LENGTH = 2;
/** Code points of a username at most. */
export const MAX_USERNAME_LENGTH = 40;
/** UTF-16 units that are looked at: a letter may come as a base and several marks. */
const MAX_TYPED_USERNAME_LENGTH = 4 * MAX_USERNAME_LENGTH;

declare const normalForm: unique symbol;
/** An identifier in its normal form. */
export type IdentifierKey<Kind extends "email" | "username"> = string & { readonly [normalForm]: Kind };

/** An accepted identifier: as it is shown and mailed to, and as it is compared. */
export interface Identifier<Kind extends "email" | "username"> {
  readonly shown: string;
  readonly key: IdentifierKey<Kind>;
}

const LOCAL_PART = /^[\p{L}\p{M}\p{N}!#$%&'*+/=?^_`{|}~-]+(\.[\p{L}\p{M}\p{N}!#$%&'*+/=?^_`{|}~-]+)*$/u;
const DOMAIN = /^(?=.{4,253}$)([a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?\.)+[a-z0-9-]{2,63}$/;
/** What stands in no domain name, in any script. */
const NO_DOMAIN = /[^\p{L}\p{M}\p{N}.\u3002\uff0e\uff61-]/u;
const USERNAME = /^[\p{L}\p{N}][\p{L}\p{M}\p{N}._-]*$/u;
const MAX_LOCAL_OCTETS = 64;

/**
 * Reads an e-mail address. @returns `null` if it is none that mail could reach.
 * @example
 * ```ts
 * readEmail("Anna@Bücher.example") // → { shown: "Anna@xn--bcher-kva.example", key: "anna@xn--bcher-kva.example" }
 * readEmail("nobody at home") // → null
 * ```
 */
export function readEmail(typed: string): Identifier<"email"> | null {
  if (Buffer.byteLength(typed) > MAX_EMAIL_LENGTH) return null;
  const at = typed.lastIndexOf("@");
  const local = typed.slice(0, at);
  if (at < 1 || !LOCAL_PART.test(local) || !isPlain(local)) return null;
  const typedDomain = typed.slice(at + 1);
  // Looked at before it is converted: what a URL would end a host with is dropped on the way.
  if (NO_DOMAIN.test(typedDomain)) return null;
  const domain = asciiDomain(typedDomain);
  if (!DOMAIN.test(domain)) return null;
  const localKey = lowerCase(local);
  // A sign and a mark may compose to another sign, which stands in no address.
  if (!LOCAL_PART.test(localKey)) return null;
  const key = `${localKey}@${domain}`;
  // Lower case can be longer than upper case, in octets.
  if (Math.max(Buffer.byteLength(local), Buffer.byteLength(localKey)) > MAX_LOCAL_OCTETS) return null;
  if (Buffer.byteLength(key) > MAX_EMAIL_LENGTH) return null;
  return { shown: `${local}@${domain}`, key: key as IdentifierKey<"email"> };
}

const PLAIN_DOMAIN = /^[a-zA-Z0-9.-]+$/;

/** In its ASCII form; the conversion leaves a name of plain letters as it is, but for their case. */
function asciiDomain(typed: string): string {
  return PLAIN_DOMAIN.test(typed) && !/xn--/i.test(typed) ? typed.toLowerCase() : domainToASCII(typed);
}

/**
 * Reads a username. @returns `null` if it has characters, or a length, that no username has.
 * @example
 * ```ts
 * readUsername("Änna").key // → "änna"
 * readUsername("two words") // → null
 * ```
 */
export function readUsername(typed: string): Identifier<"username"> | null {
  if (typed.length > MAX_TYPED_USERNAME_LENGTH || !USERNAME.test(typed) || !isPlain(typed)) return null;
  const key = lowerCase(typed);
  if (!USERNAME.test(key)) return null;
  const length = [...key].length;
  if (length < MIN_USERNAME_LENGTH || length > MAX_USERNAME_LENGTH) return null;
  return { shown: typed.normalize("NFC"), key: key as IdentifierKey<"username"> };
}

const LIKE_AN_ID = /^[0-9a-f]{8}-?[0-9a-f]{4}-?[0-9a-f]{4}-?[0-9a-f]{4}-?[0-9a-f]{12}$/;

/**
 * Whether a username could be taken for an account's id; nobody may choose one.
 * @example
 * ```ts
 * looksLikeId(readUsername("0192f0c1-89ab-7def-8123-456789abcdef")) // → true
 * ```
 */
export function looksLikeId({ key }: Identifier<"username">): boolean {
  return LIKE_AN_ID.test(key);
}

/**
 * What somebody typed to say who they are: which of the two it is, in normal form; `null` if it is neither.
 * @example
 * ```ts
 * readIdentifier("Anna@brina.example") // → { kind: "email", key: "anna@brina.example" }
 * readIdentifier("anna") // → { kind: "username", key: "anna" }
 * ```
 */
export function readIdentifier(
  typed: string,
):
  | { kind: "email"; key: IdentifierKey<"email"> }
  | { kind: "username"; key: IdentifierKey<"username"> }
  | null {
  if (typed.includes("@")) {
    const email = readEmail(typed);
    return email && { kind: "email", key: email.key };
  }
  const username = readUsername(typed);
  return username && { kind: "username", key: username.key };
}

/** Most identifiers are ASCII alone, of which there is one spelling. */
// oxlint-disable-next-line no-control-regex -- all of ASCII
const ASCII = /^[\u0000-\u007f]*$/;

/** Locale-independent lower case, composed, so that `É` typed in either way is one letter. */
function lowerCase(text: string): string {
  if (ASCII.test(text)) return text.toLowerCase();
  return text.normalize("NFC").toLowerCase().normalize("NFC");
}

/** False where a single character is only another spelling or a variant of some other one. */
function isPlain(text: string): boolean {
  if (ASCII.test(text)) return true;
  for (const character of text) if (character.normalize("NFC") !== character) return false;
  return text.normalize("NFC") === text.normalize("NFKC");
}
