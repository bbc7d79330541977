/**
 * Cookies between one browser and this service. Host-only in every form: no option sets Domain.
 *
 * - https at the root of a host: `__Host-lucchetto`, Path=/.
 * - https under a path: `__Secure-lucchetto` with that path, so that the site's own server never receives it.
 * - loopback: the port is part of the name, because browsers send cookies of `localhost` to every port.
 */
import { parse, serialize } from "cookie";

export interface HostCookie {
  readonly name: string;
  /** The value in a Cookie header, if one came. */
  read(header: string | undefined): string | undefined;
  /** Set-Cookie for a value. @param maxAge seconds; without it the cookie goes when the browser closes. */
  write(value: string, maxAge?: number): string;
  /** Set-Cookie that removes it. */
  remove(): string;
}

/**
 * - `own`: the own token of the session.
 * - `device`: the mark of a known device. It proves nothing: it only says which count of failures is used.
 * - `sign-in`: the token of a sign-in in progress.
 * - `language`: of the account that the browser was signed in to last, in which its pages come.
 * - `proxy`: the check token for what stands behind the proxy on the same host; it alone goes to the whole host.
 */
type HostCookiePurpose = "own" | "device" | "sign-in" | "language" | "proxy";

/** Seconds that browsers keep a cookie at most. */
export const MAX_AGE_SECONDS = 400 * 24 * 3_600;

/** @param publicUrl the service's public address. */
export function hostCookie(publicUrl: string, purpose: HostCookiePurpose): HostCookie {
  const url = new URL(publicUrl);
  const secure = url.protocol === "https:";
  const path = purpose === "proxy" ? "/" : url.pathname;
  const prefix = secure ? (path === "/" ? "__Host-" : "__Secure-") : "";
  const suffix = purpose === "own" ? "" : `-${purpose}`;
  const port = secure ? "" : `-${url.port === "" ? "80" : url.port}`;
  const name = `${prefix}lucchetto${suffix}${port}`;
  const attributes = { httpOnly: true, secure, sameSite: "lax", path } as const;
  return {
    name,
    read: (header) => (header === undefined ? undefined : parse(header)[name]),
    write: (value, maxAge) =>
      serialize(name, value, { ...attributes, ...(maxAge === undefined ? {} : { maxAge }) }),
    remove: () => serialize(name, "", { ...attributes, maxAge: 0 }),
  };
}
