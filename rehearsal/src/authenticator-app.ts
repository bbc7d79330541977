/** An authenticator app of the walk's own: RFC 6238, from the address that a QR code holds. */
import { createHmac } from "node:crypto";
import { base32nopad } from "@scure/base";

export interface AuthenticatorApp {
  /** Milliseconds that a code counts. */
  readonly period: number;
  /** The code of a moment. @param at milliseconds since the epoch. */
  codeAt(at: number): string;
}

/** @param uri `otpauth://totp/…` @throws Error where it is none. */
export function authenticatorApp(uri: string): AuthenticatorApp {
  const { protocol, hostname, pathname, searchParams } = new URL(uri);
  const isTotp = protocol === "otpauth:" && (hostname === "totp" || pathname.startsWith("//totp/"));
  const key = base32nopad.decode((searchParams.get("secret") ?? "").toUpperCase().replace(/=+$/, ""));
  if (!isTotp || key.length === 0) throw new Error("no address of an authenticator app");
  const digits = Number(searchParams.get("digits") ?? "6");
  const period = Number(searchParams.get("period") ?? "30") * 1_000;
  const algorithm = (searchParams.get("algorithm") ?? "SHA1").toLowerCase();
  return {
    period,
    codeAt(at) {
      const counter = Buffer.alloc(8);
      counter.writeBigUInt64BE(BigInt(Math.floor(at / period)));
      const mac = createHmac(algorithm, key).update(counter).digest();
      const offset = (mac.at(-1) ?? 0) & 0xf;
      const number = mac.readUInt32BE(offset) & 0x7fffffff;
      return String(number % 10 ** digits).padStart(digits, "0");
    },
  };
}
