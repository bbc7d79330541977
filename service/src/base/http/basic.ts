/** HTTP Basic (RFC 7617): a name and a password, as they came. */

/** @returns `null` for anything that is no such header. */
export function readBasicPair(
  authorization: string | undefined,
): { readonly name: string; readonly password: string } | null {
  const encoded = /^Basic +([A-Za-z0-9+/]+={0,2})$/i.exec(authorization ?? "")?.[1];
  if (encoded === undefined) return null;
  const text = Buffer.from(encoded, "base64").toString("utf8");
  const colon = text.indexOf(":");
  return colon < 0 ? null : { name: text.slice(0, colon), password: text.slice(colon + 1) };
}
