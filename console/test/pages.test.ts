import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { MAILBOX_PAGE, PLAIN_PAGES, SIGN_OUT_PAGE, VISITED_PAGES } from "@lucchetto/contract";
import type { Browser, Page } from "playwright-core";
import { colourViolations, scrollsSideways, violations } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import { startSampleApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { isWhole } from "../../testing/whole.ts";

let service: TestService;
let browser: Browser;
beforeAll(async () => {
  service = await startShipped();
  // Registers an app, so that the console has one to show.
  await (await startSampleApp(service)).stop();
  browser = await startBrowser();
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

/** Pages looked at so far. */
let looked = 0;

/** Only colours differ: the same elements stand there. */
async function violationsInDark(page: Page): ReturnType<typeof colourViolations> {
  await page.emulateMedia({ colorScheme: "dark" });
  const found = await colourViolations(page);
  await page.emulateMedia({ colorScheme: "light" });
  return found;
}

/** Looks at a page in light, every third (all, in `npm run test:long`) in dark, and at the width of a small phone. */
async function looksRight(page: Page, path: string): Promise<void> {
  const inLight = await violations(page);
  looked += 1;
  const inDark = isWhole || looked % 3 === 0 ? await violationsInDark(page) : [];
  await page.setViewportSize({ width: 320, height: 700 });
  const wider = await scrollsSideways(page);
  await page.setViewportSize({ width: 1280, height: 800 });
  expect({ path, inLight, inDark, wider }).toEqual({ path, inLight: [], inDark: [], wider: false });
}

/** The console's, by what stands behind `/console`. */
const CONSOLE_PAGES = [
  ...["", "accounts", "sessions", "journal", "mail", "hashes", "apps", "webhooks"],
  ...["moving-in", "moving-in/new", "rehearsal", "sign-ins"],
];

test("AC-3 AC-8 RY-5 every page opens without an error; none has an accessibility violation, in light or dark, or scrolls sideways at 320 pixels", async () => {
  const { context, page, complaints } = await openTab(browser);
  const titles = new Set<string>();
  const opened = new Set<string>();
  const look = async (path: string, ready: string) => {
    opened.add(path);
    await page.goto(service.url + path);
    await page.waitForSelector(ready);
    await looksRight(page, path);
    titles.add(await page.title());
  };
  await look("/register", "form");
  await look("/problems/sign-in-refused", "h1");
  await look("/docs", "button[aria-expanded]");
  await look("/sign-in", "form");
  await page.click("button[type=submit]");
  await page.waitForSelector("[aria-invalid=true]");
  expect(await page.title()).toMatch(/^Error: Sign in · /);
  await looksRight(page, "/sign-in, refused");
  await page.fill("#identifier", "office@brina.example");
  await page.fill("#password", PASSWORD);
  await page.click("button[type=submit]");
  await page.waitForURL(`${service.url}/account`);
  await look("/account", "dl");
  await look("/account/details", "form");
  await look("/account/email", "form");
  await look("/account/sessions", "li");
  await look("/account/erase", "form");
  await look("/account/access-keys", "form");
  await look("/account/second-factor", "form");
  await look("/account/reauthenticate", "form");
  await look("/sign-out", "form");
  await look("/console/mail", "table");
  await look("/console/accounts", "td a");
  await page.click("td a");
  await page.waitForSelector("figure");
  await looksRight(page, "/console/accounts, one of them");
  for (const name of ["sessions", "journal", "apps"]) await look(`/console/${name}`, "table");
  await look("/console/hashes", "canvas");
  await look("/console/sign-ins", "canvas");
  await look("/console/webhooks", "text=Notices to the application appear here");
  await look("/console/moving-in", "text=Nothing has been imported yet");
  expect(titles.size).toBe(22);
  expect(complaints).toEqual([]);
  // The others are looked at where what they are for is tested; here they open.
  const others = [...PLAIN_PAGES, ...VISITED_PAGES, SIGN_OUT_PAGE, MAILBOX_PAGE, "/forgot", "/link"];
  const console = CONSOLE_PAGES.map((name) => `/console/${name}`.replace(/\/$/, ""));
  for (const path of [...others, ...console].filter((one) => !opened.has(one))) {
    await page.goto(service.url + path);
    await page.waitForSelector("h1");
    expect([path, complaints]).toEqual([path, []]);
  }
  await context.close();
});
