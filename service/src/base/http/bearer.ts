/** The token in an Authorization header (RFC 6750 section 2.1). */

/** @returns `undefined` for anything that is no such header. */
export function readBearer(authorization: string | undefined): string | undefined {
  return /^Bearer +([A-Za-z0-9_-]+)$/i.exec(authorization ?? "")?.[1];
}
