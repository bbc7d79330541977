import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Browser } from "playwright-core";
import { violations } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import type { TestService } from "../../testing/service.ts";
import { send, startService } from "../../testing/service.ts";

let service: TestService;
let browser: Browser;
beforeAll(async () => {
  service = await startService({ timePasses: true, settings: { LUCCHETTO_SITE_LANGUAGE: "it" } });
  browser = await startBrowser();
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

describe("a site whose language is Italian", () => {
  test("AC-8 people's pages are in Italian and say so; what is wrong with a field is too", async () => {
    const { context, page, complaints } = await openTab(browser);
    await page.goto(`${service.url}/register`);
    await page.waitForSelector("h1 >> text=Registrati");
    expect(await page.getAttribute("html", "lang")).toBe("it");
    expect(await page.textContent("body")).not.toMatch(/\b(Register|Password again|Sign in|characters)\b/);
    await page.fill("[name=email]", "anna@x");
    await page.fill("[name=password]", "passwordpassword");
    await page.fill("[name=repeated]", "passwordpassword");
    await page.waitForSelector("text=Contiene una password molto comune");
    await page.click("main form button[type=submit]");
    await page.waitForSelector("text=Non è un indirizzo e-mail");
    await page.waitForSelector("text=È una delle password che chi indovina prova per prime");
    expect(await violations(page)).toEqual([]);
    await page.fill("[name=email]", "anna@brina.example");
    for (const name of ["password", "repeated"]) await page.fill(`[name=${name}]`, "cinque rifugi sul lago");
    await page.click("main form button[type=submit]");
    await page.waitForSelector("text=Ecco come ti conosce questo sito.");
    await page.click("text=Secondo fattore");
    await page.waitForSelector("button >> text=Configura un’app di autenticazione");
    await page.goto(`${service.url}/sign-out`);
    await page.click("button >> text=Esci");
    await page.waitForURL("**/sign-in*");
    await page.fill("[name=identifier]", "anna@brina.example");
    await page.fill("[name=password]", "sei rifugi sul lago");
    await page.click("main form button[type=submit]");
    await page.waitForSelector("text=Il nome o la password non sono giusti");
    // The console is in English, and says so, whatever the site speaks.
    const { text } = await send(service, "GET", "/console", { headers: { accept: "text/html" } });
    expect(text).toContain('<html lang="en">');
    expect(complaints).toEqual([]);
    await context.close();
  });
});
