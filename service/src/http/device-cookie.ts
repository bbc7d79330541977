/** The cookie that carries a known device's mark. It proves nothing: it only says which count of failures is used. */
import { parse, serialize } from "cookie";

export interface DeviceCookie {
  read(header: string | undefined): string | undefined;
  write(mark: string): string;
}

/** Seconds that browsers keep it; they allow no more. */
const MAX_AGE = 400 * 24 * 3_600;

/** @param publicUrl the service's public address; host-only, like the own cookie. */
export function deviceCookie(publicUrl: string): DeviceCookie {
  const url = new URL(publicUrl);
  const secure = url.protocol === "https:";
  const path = url.pathname;
  const prefix = secure ? (path === "/" ? "__Host-" : "__Secure-") : "";
  const name = `${prefix}lucchetto-device${secure ? "" : `-${url.port === "" ? "80" : url.port}`}`;
  return {
    read: (header) => (header === undefined ? undefined : parse(header)[name]),
    write: (mark) =>
      serialize(name, mark, { httpOnly: true, secure, sameSite: "lax", path, maxAge: MAX_AGE }),
  };
}
