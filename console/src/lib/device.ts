/** What a session was begun with, in words. */
import { UAParser } from "ua-parser-js";

/** A browser and system, from what the browser says of itself. */
export function device(userAgent: string | null): string {
  if (userAgent === null) return "unknown device";
  const { browser, os } = new UAParser(userAgent).getResult();
  const words = [browser.name, os.name].filter((word) => word !== undefined);
  return words.length > 0 ? words.join(" on ") : (userAgent.split(/[ /]/, 1)[0] ?? "unknown device");
}

const METHODS: Readonly<Record<string, string>> = {
  pwd: "password",
  mail: "mailed link",
  otp: "one-time code",
  hwk: "passkey",
  swk: "passkey",
  mfa: "two factors",
};

/** The methods of RFC 8176. */
export function methods(amr: readonly string[]): string {
  return amr.map((method) => METHODS[method] ?? method).join(" and ");
}
