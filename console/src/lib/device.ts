/** A browser and system in words, from what the browser says of itself. */
import { UAParser } from "ua-parser-js";

export function device(userAgent: string | null): string {
  if (userAgent === null) return "unknown device";
  const { browser, os } = new UAParser(userAgent).getResult();
  const words = [browser.name, os.name].filter((word) => word !== undefined);
  return words.length > 0 ? words.join(" on ") : (userAgent.split(/[ /]/, 1)[0] ?? "unknown device");
}
