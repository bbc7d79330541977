#!/usr/bin/env node
/**
 * Takes the pictures in docs/screenshots from the running demo: `node scripts/screenshots.mjs [names …]`; the sheets of
 * mails and landing pages are drawn by contact-sheets.mjs. Terminal views are taken by hand, in a terminal window.
 */
import { createHash } from "node:crypto";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { OFFICE } from "@lucchetto/demo";
import { startBrowser } from "@lucchetto/rehearsal";
import { ROOT } from "./prerequisites.mjs";
import { run, say } from "./say.mjs";

const FOLDER = join(ROOT, "docs", "screenshots");

await run(async () => {
  const wanted = process.argv.slice(2);
  const { url, appUrl, operator } = JSON.parse(readFileSync(join(ROOT, ".lucchetto", "demo.json"), "utf8"));
  const browser = await startBrowser();

  /** A fresh browser; `pictures` draws in it and calls `shot` with the name of each picture. */
  async function inBrowser(colorScheme, pictures) {
    const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, colorScheme });
    const page = await context.newPage();
    const shot = async (name) => {
      if (wanted.length > 0 && !wanted.includes(name)) return;
      await page.waitForTimeout(400);
      await page.screenshot({ path: join(FOLDER, `${name}.png`) });
      say(name);
    };
    await pictures(page, shot);
    await context.close();
  }

  const signIn = async (page, { email, password }) => {
    await page.fill("#identifier", email);
    await page.fill("#password", password);
    await page.click("button[type=submit]");
  };
  /** A wrong password, from a program. */
  const guess = (service, identifier) =>
    fetch(`${service}/v1/sign-in`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify({ proof: { type: "password", identifier, password: "a guess that is wrong" } }),
    });
  /** An old users table of the hut of Nevaio: salted SHA-1, and one address that is none. */
  const guests = () => {
    const rows = Array.from({ length: 60 }, (_, number) => {
      const digest = createHash("sha1").update(`q${number}nora${number} by the lake`).digest("hex");
      const mail = number === 7 ? "nora at nevaio" : `nora${number}@nevaio.example`;
      return `${9_000 + number};nora${number};${mail};Nora ${number};${digest};q${number};2015-03-0${1 + (number % 9)} 10:00:00`;
    });
    return ["id;login;mail;name;pw;salt;joined", ...rows].join("\n");
  };
  const atApp = (page) => page.waitForURL((address) => address.origin === appUrl);

  await inBrowser("light", async (page, shot) => {
    await page.goto(`${appUrl}/members`);
    await signIn(page, { ...operator, password: "a wrong password" });
    await page.waitForSelector("[data-form-problem]");
    await page.fill("#password", operator.password);
    await page.click("button[type=submit]");
    await atApp(page);
    for (let tried = 0; tried < 7; tried += 1) await guess(url, "bruno@brina.example");
    await page.goto(`${url}/console/journal`);
    await page.waitForSelector("table");
    await page.click("text=Verify the journal");
    await page.waitForSelector("text=as they were written");
    await shot("console-journal");
    await page.goto(`${url}/console/mail`);
    await page.click("tbody tr:nth-child(2) button");
    await page.frameLocator("iframe").locator("p").first().waitFor();
    await shot("console-mail");
    await page.goto(`${url}/console/hashes`);
    await page.waitForSelector("canvas");
    await shot("console-hashes");
    await page.goto(`${url}/console/sign-ins`);
    await page.waitForSelector("canvas");
    await shot("console-sign-ins");
    await page.goto(`${url}/console/accounts?search=dario`);
    await page.click("td a");
    await page.waitForSelector("figure");
    await shot("console-record");
    await page.goto(`${url}/console/moving-in/new`);
    await page.setInputFiles("#file", {
      name: "nevaio.csv",
      mimeType: "text/csv",
      buffer: Buffer.from(guests()),
    });
    await page.selectOption("select >> nth=1", ";");
    await page.click("button >> text=Upload");
    await page.waitForSelector("#plan");
    await shot("console-move-in");
    await page.fill("#who-0", "nora1");
    await page.fill("#known-0", "nora1 by the lake");
    await page.click("button >> text=Check");
    await page.click("button >> text=Import");
    await page.waitForSelector("article", { timeout: 180_000 });
    await shot("console-moving-in");
  });
  await inBrowser("light", async (page, shot) => {
    await page.goto(`${appUrl}/office`);
    await signIn(page, OFFICE);
    await atApp(page);
    await page.waitForSelector("tbody tr");
    await shot("sample-office");
  });
  await browser.close();
});
