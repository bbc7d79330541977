/** A draft of `rehearsal.yaml`: what was recognised of an application's forms, to be corrected by whoever knows them. */
import { stringify } from "yaml";
import { startBrowser } from "./browser.ts";
import type { Hints } from "./hints.ts";
import { HINTS } from "./hints.ts";
import type { Addresses } from "./walk.ts";
import { Walk } from "./walk.ts";

/** @param deadline milliseconds that one page may take. @throws Error where no browser can be started, or a page does not load. */
export async function draftHints(addresses: Addresses, deadline: number): Promise<string> {
  const hosts = [addresses.app, addresses.service].map((address) => new URL(address).hostname);
  const browser = await startBrowser({ hosts });
  const found = new Map<keyof Hints, string>();
  try {
    const walk = new Walk(addresses, {
      browser,
      marker: null,
      deadline,
      hints: {},
      movesClock: false,
      invite: null,
    });
    const note = async () => {
      for (const [name, selector] of Object.entries(await walk.forms.recognised(await walk.page())))
        if (typeof selector === "string" && !found.has(name as keyof Hints))
          found.set(name as keyof Hints, selector);
    };
    await walk.open(walk.at(addresses.open));
    await note();
    const page = await walk.open(walk.closedAddress);
    await note();
    const way = await walk.forms.control(page, "register");
    if (way !== null) {
      await walk.forms.press(page, "register");
      await note();
    }
  } finally {
    await browser.close();
  }
  const lines = Object.entries(HINTS).flatMap(([name, meaning]) => {
    const selector = found.get(name as keyof Hints);
    const drafted = selector === undefined ? `${name}:` : stringify({ [name]: selector }).trim();
    return [`# ${meaning}${selector === undefined ? " (not found)" : ""}`, `# ${drafted}`, ""];
  });
  return [
    `# The forms of ${addresses.app} as they were recognised, by CSS selectors. What stays a comment is looked for`,
    "# by itself; take the # away where it is wrong or was not found, and write down what is right.",
    "",
    ...lines,
  ].join("\n");
}
