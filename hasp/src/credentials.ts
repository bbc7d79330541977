/** What a script shows in its Authorization header: an access key as Bearer, or a key or password as HTTP Basic. */

export type Credentials =
  | { readonly kind: "access-key"; readonly key: string; readonly username?: string }
  | { readonly kind: "password"; readonly username: string; readonly password: string }
  /** Something that can be neither. */
  | { readonly kind: "unknown" };

const KEY_PREFIX = "lca_";

/** Reads the header. @returns `null` where there is none. */
export function readAuthorization(header: string | undefined): Credentials | null {
  if (header === undefined) return null;
  const bearer = /^Bearer +([A-Za-z0-9._~+/-]+=*)$/i.exec(header)?.[1];
  if (bearer !== undefined)
    return bearer.startsWith(KEY_PREFIX) ? { kind: "access-key", key: bearer } : { kind: "unknown" };
  const basic = /^Basic +([A-Za-z0-9+/]+={0,2})$/i.exec(header)?.[1];
  if (basic === undefined) return { kind: "unknown" };
  const text = Buffer.from(basic, "base64").toString("utf8");
  const colon = text.indexOf(":");
  if (colon < 0) return { kind: "unknown" };
  const username = text.slice(0, colon);
  const password = text.slice(colon + 1);
  if (password.startsWith(KEY_PREFIX)) return { kind: "access-key", key: password, username };
  return { kind: "password", username, password };
}
