/** Digests with their scheme in braces, as directories keep them in `userPassword` (RFC 2307 section 5.3): `{SSHA}…`, `{SHA256}…`, `{CRYPT}$6$…`. */

/** What such a value says of itself. */
export interface TaggedDigest {
  readonly recipe: string;
  /** `null`: it has none. */
  readonly salt: Uint8Array | null;
  readonly digest: Uint8Array;
}

const TAGGED = /^\{(S?)(MD5|SHA|SHA256|SHA384|SHA512)\}([A-Za-z0-9+/]+={0,2})$/i;
const LENGTHS: Readonly<Record<string, readonly [digest: string, bytes: number]>> = {
  md5: ["md5", 16],
  sha: ["sha1", 20],
  sha256: ["sha256", 32],
  sha384: ["sha384", 48],
  sha512: ["sha512", 64],
};
const MAX_SALT_LENGTH = 64;

/**
 * @returns `null` if it is not of that form, or of a length that its scheme does not make.
 * @example
 * ```ts
 * fromTaggedDigest("{SHA}qvTGHdzF6KLavt4PO0gs2a6pQ00=").recipe // → "sha1(password)"
 * ```
 */
export function fromTaggedDigest(text: string): TaggedDigest | null {
  if (!text.startsWith("{")) return null;
  const [, salted = "", name = "", body = ""] = TAGGED.exec(text) ?? [];
  const [digest, length] = LENGTHS[name.toLowerCase()] ?? [];
  if (digest === undefined || length === undefined) return null;
  const bytes = new Uint8Array(Buffer.from(body, "base64"));
  const salt = bytes.slice(length);
  if (bytes.length < length || (salted === "") !== (salt.length === 0) || salt.length > MAX_SALT_LENGTH)
    return null;
  const isSalted = salt.length > 0;
  return {
    recipe: isSalted ? `${digest}(concat(password, salt))` : `${digest}(password)`,
    salt: isSalted ? salt : null,
    digest: bytes.slice(0, length),
  };
}

/**
 * What stands behind `{CRYPT}`; `null` if that is not there.
 * @example
 * ```ts
 * untaggedCrypt("{CRYPT}$2b$10$abc") // → "$2b$10$abc"
 * ```
 */
export function untaggedCrypt(text: string): string | null {
  return text.startsWith("{") && /^\{crypt\}/i.test(text) ? text.slice("{crypt}".length) : null;
}
