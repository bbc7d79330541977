/** The drawer that looks inside, in a browser. */
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import type { Browser } from "playwright-core";
import { colourViolations, scrollsSideways, violationsOnTheWay } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import type { TestService } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

let service: TestService;
let browser: Browser;
beforeAll(async () => {
  service = await startShipped({ looksInside: true });
  browser = await startBrowser();
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

test("after registering the drawer shows the rows and the record, stays open from page to page, and closes by a key", async () => {
  const { context, page, complaints } = await openTab(browser);
  await page.goto(`${service.url}/register`);
  await page.fill("[name=email]", "mira@brina.example");
  for (const name of ["password", "repeated"]) await page.fill(`[name=${name}]`, "five huts above the lake");
  await page.click("main form button[type=submit]");
  await page.waitForSelector("h1 >> text=Your account");
  const tab = page.getByRole("button", { name: "Look inside" });
  await tab.focus();
  await page.keyboard.press("Enter");
  await page.getByRole("heading", { name: "POST /v1/accounts" }).waitFor();
  expect(await page.evaluate(() => document.activeElement?.textContent)).toBe("Look inside");
  const drawer = page.getByRole("complementary", { name: "Look inside" });
  const shown = await drawer.innerText();
  for (const text of [
    "201 signed-in",
    "account.registered",
    "password_record",
    "cost factor",
    "hashing",
    "Mails",
  ])
    expect(shown).toContain(text);
  expect(await violationsOnTheWay(page)).toEqual([]);

  await page.goto(`${service.url}/account/sessions`);
  await drawer.getByRole("heading", { name: "POST /v1/accounts" }).waitFor();
  await drawer.getByRole("button", { name: "GET /account/sessions" }).click();
  await drawer.getByRole("heading", { name: "GET /account/sessions" }).waitFor();
  await page.keyboard.press("Escape");
  await drawer.getByRole("heading").first().waitFor({ state: "detached" });
  expect(await page.evaluate(() => document.activeElement?.textContent)).toBe("Look inside");
  await page.reload();
  await tab.waitFor();
  expect(await drawer.getByRole("heading").count()).toBe(0);
  expect(complaints).toEqual([]);
  await context.close();
});

test("on a small screen, in the dark, after a refused sign-in it says why, and which page is below stays as it was", async () => {
  const { context, page, complaints } = await openTab(browser, { dark: true, width: 390 });
  await page.goto(`${service.url}/sign-in`);
  await page.fill("[name=identifier]", "mira@brina.example");
  await page.fill("[name=password]", "six huts above the lake");
  await page.click("main form button[type=submit]");
  await page.waitForSelector("text=name or the password is wrong");
  await page.getByRole("button", { name: "Look inside" }).click();
  await page.waitForSelector("aside >> text=no match");
  await page.waitForSelector("aside >> text=sign-in.refused, wrong-password");
  expect(await scrollsSideways(page)).toBe(false);
  expect(await colourViolations(page)).toEqual([]);
  await page.getByRole("button", { name: "Close" }).click();
  expect(await page.inputValue("[name=identifier]")).toBe("mira@brina.example");
  expect(complaints).toEqual([]);
  await context.close();
});

test("the console has no drawer", async () => {
  const { context, page } = await openTab(browser);
  await page.goto(`${service.url}/console`);
  await page.waitForURL("**/sign-in*");
  expect(await page.locator("script[src*=inside]").count()).toBe(1);
  const reply = await page.request.get(`${service.url}/console`, { headers: { accept: "text/html" } });
  expect(await reply.text()).not.toContain("/inside/");
  await context.close();
});
