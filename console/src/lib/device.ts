/** What a session was begun with, in words. */
import { knownProgram } from "@lucchetto/contract/pages";
import { UAParser } from "ua-parser-js";
import { texts } from "../texts/texts.ts";

/** A browser and system, from what the browser says of itself. */
export function device(userAgent: string | null): string {
  if (userAgent === null) return texts.devices.unknown;
  const { browser, os } = new UAParser(userAgent).getResult();
  if (browser.name !== undefined && os.name !== undefined) return texts.devices.on(browser.name, os.name);
  return browser.name ?? os.name ?? knownProgram(userAgent) ?? texts.devices.unknown;
}

/** The methods of RFC 8176. */
export function methods(amr: readonly string[]): string {
  const words: Readonly<Record<string, string>> = texts.devices.methods;
  return amr.map((method) => words[method] ?? method).join(texts.devices.and);
}
