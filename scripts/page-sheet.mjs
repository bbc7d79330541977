#!/usr/bin/env node
/**
 * Draws one sheet into docs/screenshots from the running demo: ten pages of people's in English and Italian, light and
 * dark, wide and narrow.
 */
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { startBrowser } from "@lucchetto/rehearsal";
import { ROOT } from "./prerequisites.mjs";
import { run } from "./say.mjs";

const SHEET = join(ROOT, "docs", "screenshots", "pages.png");
const LANGUAGES = ["en-GB", "it-IT"];
const WIDTHS = [1280, 390];
const MODES = ["light", "dark"];
/** What is drawn of a page on the sheet, in pixels. */
const HEIGHT = 240;

/** Pages for guests, and for somebody who is signed in. */
const GUESTS = ["/register", "/forgot", "/sign-in?by=mail"];
const OWN = ["", "/sessions", "/passkeys", "/second-factor", "/access-keys", "/erase"].map(
  (path) => `/account${path}`,
);

await run(async () => {
  const { url, member } = JSON.parse(readFileSync(join(ROOT, ".lucchetto", "demo.json"), "utf8"));
  const browser = await startBrowser();
  /** A row for each page: its name, and a picture for each width, language and mode. */
  const rows = new Map();
  const keep = async (name, page) => {
    for (const colorScheme of MODES) {
      await page.emulateMedia({ colorScheme });
      await page.waitForTimeout(150);
      rows.set(name, [...(rows.get(name) ?? []), await page.screenshot()]);
    }
  };
  for (const width of WIDTHS)
    for (const locale of LANGUAGES) {
      const context = await browser.newContext({ viewport: { width, height: 800 }, locale });
      const page = await context.newPage();
      const look = async (path) => {
        await page.goto(url + path);
        await page.waitForSelector("h1");
        await page.waitForTimeout(400);
        await keep(path, page);
      };
      for (const path of GUESTS) await look(path);
      await page.goto(`${url}/sign-in`);
      await page.fill("#identifier", member.email);
      await page.fill("#password", "not this one, I think");
      await page.click("form button[type=submit]");
      await page.waitForSelector("[data-form-problem]");
      await keep("/sign-in, refused", page);
      await page.fill("#password", member.password);
      await page.click("form button[type=submit]");
      await page.waitForURL(`${url}/account`);
      for (const path of OWN) await look(path);
      await context.close();
    }
  const picture = (data) =>
    `<img style="height:${HEIGHT}px;border:1px solid #bbb" src="data:image/png;base64,${data.toString("base64")}">`;
  const sections = [...rows].map(
    ([name, pictures]) =>
      `<h2 style="font:14px sans-serif;margin:10px 0 4px">${name}</h2><div style="display:flex;gap:6px">${pictures.map(picture).join("")}</div>`,
  );
  const sheet = await browser.newPage({ viewport: { width: 2_100, height: 800 } });
  await sheet.setContent(`<body style="margin:16px">${sections.join("")}</body>`);
  await sheet.screenshot({ path: SHEET, fullPage: true });
  await browser.close();
});
