/**
 * The cookie that carries the own token. Host-only in every form: no option sets Domain.
 *
 * - https at the root of a host: `__Host-lucchetto`, Path=/.
 * - https under a path: `__Secure-lucchetto` with that path, so that the site's own server never receives it.
 * - loopback: the port is part of the name, because browsers send cookies of `localhost` to every port.
 */
import { parse, serialize } from "cookie";

export interface OwnCookie {
  readonly name: string;
  /** The own token in a Cookie header, if one came. */
  read(header: string | undefined): string | undefined;
  /** Set-Cookie for a token. @param maxAge seconds; without it the cookie goes when the browser closes. */
  write(token: string, maxAge?: number): string;
  /** Set-Cookie that removes it. */
  remove(): string;
}

/** @param publicUrl the service's public address. */
export function ownCookie(publicUrl: string): OwnCookie {
  const url = new URL(publicUrl);
  const secure = url.protocol === "https:";
  const path = url.pathname;
  const name = secure
    ? path === "/"
      ? "__Host-lucchetto"
      : "__Secure-lucchetto"
    : `lucchetto-${url.port === "" ? "80" : url.port}`;
  const attributes = { httpOnly: true, secure, sameSite: "lax", path } as const;
  return {
    name,
    read: (header) => (header === undefined ? undefined : parse(header)[name]),
    write: (token, maxAge) =>
      serialize(name, token, { ...attributes, ...(maxAge === undefined ? {} : { maxAge }) }),
    remove: () => serialize(name, "", { ...attributes, maxAge: 0 }),
  };
}
