/**
 * Tokens: a prefix that people and scanners recognise, then 32 random bytes in base64url. Only the SHA-256 of the whole
 * text is ever stored; with 256 random bits a slow hash would add nothing.
 */
import { hash } from "node:crypto";

/** The one list of prefixes. */
export const TOKEN_PREFIXES = {
  "own-token": "lcs_",
  "check-token": "lck_",
  "app-key": "lcp_",
  "access-key": "lca_",
  "authorization-code": "lcc_",
  "device-mark": "lcd_",
  "sign-in": "lci_",
  "mail-link": "lcl_",
} as const;

/** A kind of token; its prefix stands in `TOKEN_PREFIXES`. */
export type TokenKind = keyof typeof TOKEN_PREFIXES;

/** Random bytes in every token: 256 bits. */
export const TOKEN_BYTES = 32;

declare const plain: unique symbol;
declare const hashed: unique symbol;
/** A token as its holder has it. Never stored, never logged. */
export type PlainToken<Kind extends TokenKind = TokenKind> = string & { readonly [plain]: Kind };
/** What is stored of a token: 32 bytes. */
export type HashedToken<Kind extends TokenKind = TokenKind> = Buffer & { readonly [hashed]: Kind };

const BODY = /^[A-Za-z0-9_-]{43}$/;

/**
 * Makes a token of a kind.
 * @param random 32 bytes from the platform's CSPRNG.
 * @example
 * ```ts
 * const { plain, hashed } = mintToken("own-token", new Uint8Array(32));
 * plain // → "lcs_AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"
 * hashed.length // → 32
 * ```
 */
export function mintToken<Kind extends TokenKind>(
  kind: Kind,
  random: Uint8Array,
): { plain: PlainToken<Kind>; hashed: HashedToken<Kind> } {
  if (random.length !== TOKEN_BYTES) throw new RangeError(`a token takes ${TOKEN_BYTES} random bytes`);
  const text = TOKEN_PREFIXES[kind] + Buffer.from(random).toString("base64url");
  return { plain: text as PlainToken<Kind>, hashed: hashText<Kind>(text) };
}

/**
 * The hash under which a token of this kind would be stored, or `null` if the text cannot be such a token, or none came.
 * @example
 * ```ts
 * hashToken("own-token", "lca_of another kind") // → null
 * ```
 */
export function hashToken<Kind extends TokenKind>(
  kind: Kind,
  text: string | undefined,
): HashedToken<Kind> | null {
  if (text === undefined) return null;
  const prefix = TOKEN_PREFIXES[kind];
  if (!text.startsWith(prefix) || !BODY.test(text.slice(prefix.length))) return null;
  return hashText<Kind>(text);
}

function hashText<Kind extends TokenKind>(text: string): HashedToken<Kind> {
  // In one step: this is done for every request of every application.
  return hash("sha256", text, "buffer") as HashedToken<Kind>;
}
