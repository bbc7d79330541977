/** What a script shows in its Authorization header: an access key as Bearer, or a key or password as HTTP Basic. */

export type Credentials =
  | { readonly kind: "access-key"; readonly key: string; readonly username?: string }
  | { readonly kind: "password"; readonly username: string; readonly password: string };

const KEY_PREFIX = "lca_";

/**
 * Reads the header.
 * @param basicPasswords whether people's own passwords are taken; otherwise a Basic password that is no access key was
 * meant for somebody else (a server before this one, say).
 * @returns `null` where there is nothing for us.
 */
export function readAuthorization(
  header: string | undefined,
  { basicPasswords }: { readonly basicPasswords: boolean | "prompt" },
): Credentials | null {
  if (header === undefined) return null;
  const bearer = /^Bearer +([A-Za-z0-9._~+/-]+=*)$/i.exec(header)?.[1];
  if (bearer !== undefined) return bearer.startsWith(KEY_PREFIX) ? { kind: "access-key", key: bearer } : null;
  const basic = /^Basic +([A-Za-z0-9+/]+={0,2})$/i.exec(header)?.[1];
  const text = basic === undefined ? "" : Buffer.from(basic, "base64").toString("utf8");
  const colon = text.indexOf(":");
  if (colon < 0) return null;
  const username = text.slice(0, colon);
  const password = text.slice(colon + 1);
  if (password.startsWith(KEY_PREFIX)) return { kind: "access-key", key: password, username };
  return basicPasswords !== false ? { kind: "password", username, password } : null;
}
