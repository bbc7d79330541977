/** How an application shows its key (RFC 6749 section 2.3.1): both halves are form-encoded before they are put together. */
export function authorizationOf({
  clientId,
  appKey,
}: {
  readonly clientId: string;
  readonly appKey: string;
}): string {
  const encode = (text: string) => encodeURIComponent(text).replaceAll("%20", "+");
  return `Basic ${Buffer.from(`${encode(clientId)}:${encode(appKey)}`).toString("base64")}`;
}
