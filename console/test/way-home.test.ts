/** Walks that begin at an application's closed page and go by links alone: each ends where it began. */
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import type { Browser, Page } from "playwright-core";
import { scrollsSideways, violationsOnTheWay } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import { keepPicture } from "../../testing/pictures.ts";
import type { TestSampleApp } from "../../testing/sample-app.ts";
import { registerApp, startSampleApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { mailTo, registerProved } from "../../testing/visitor.ts";

const NEW = "moss on the north side of the hut";

let service: TestService;
let app: TestSampleApp;
/** On the same database, where an address is proved before anybody is signed in. */
let strict: TestService;
let strictApp: TestSampleApp;
let browser: Browser;
beforeAll(async () => {
  service = await startShipped();
  app = await startSampleApp(service);
  const settings = { LUCCHETTO_ACCOUNTS_VERIFY_EMAIL: "required" };
  strict = { ...(await startShipped({ beside: service, settings })), operator: service.operator };
  strictApp = await startSampleApp(strict, () => undefined, "Hut book");
  browser = await startBrowser();
});
afterAll(async () => {
  await browser.close();
  await strictApp.stop();
  await app.stop();
  await strict.stop();
  await service.stop();
});

const heading = (page: Page, text: string) => page.waitForSelector(`h1 >> text=${text}`);
async function looksRight(page: Page, picture: string): Promise<void> {
  await keepPicture(page, picture);
  expect(await violationsOnTheWay(page)).toEqual([]);
  expect(await scrollsSideways(page)).toBe(false);
}
async function signIn(page: Page, password: string, email?: string): Promise<void> {
  if (email !== undefined) await page.fill("#identifier", email);
  await page.fill("#password", password);
  await page.click("button[type=submit]");
}

test("/members, forgotten, reset from the mail in a new tab: signed in at /members; the tab that waited moves on", async () => {
  const email = "anna@brina.example";
  await registerProved(service, email);
  const { context, page, complaints } = await openTab(browser);
  await page.goto(`${app.url}/members`);
  await heading(page, "Sign in");
  await page.waitForSelector("text=Back to Brina Huts");
  await page.fill("#identifier", email);
  await page.click("text=Forgotten your password?");
  await heading(page, "Forgotten your password");
  expect(await page.inputValue("#identifier")).toBe(email);
  await page.click("button[type=submit]");
  await heading(page, "Check your mail");
  await looksRight(page, "1-waiting-for-the-mail");
  const [link = ""] = (await mailTo(service, email, "reset")).links;
  const tab = await context.newPage();
  await tab.goto(link);
  for (const name of ["password", "repeated"]) await tab.fill(`[name=${name}]`, NEW);
  await tab.click("button[type=submit]");
  await heading(tab, "Your new password is saved");
  await looksRight(tab, "2-saved");
  // The tab that waited has nothing to wait for.
  await heading(page, "Sign in");
  expect(await page.inputValue("#identifier")).toBe(email);
  await tab.click("main >> text=Sign in");
  await signIn(tab, NEW);
  await tab.waitForURL(`${app.url}/members`);
  expect(complaints).toEqual([]);
  await context.close();
});

test("/members, register, confirm from the mail: signed in at /members, by either tab", async () => {
  const email = "bice@brina.example";
  const { context, page, complaints } = await openTab(browser);
  await page.goto(`${strictApp.url}/members`);
  await page.click("text=Register");
  await heading(page, "Register");
  await page.waitForSelector("text=Back to Hut book");
  await page.fill("#email", email);
  for (const name of ["password", "repeated"]) await page.fill(`[name=${name}]`, PASSWORD);
  await page.click("button[type=submit]");
  await heading(page, "Check your mail");
  const [link = ""] = (await mailTo(strict, email, "verify")).links;
  const tab = await context.newPage();
  await tab.goto(link);
  await tab.click("button[type=submit]");
  await heading(tab, "Your address is confirmed");
  await heading(page, "Sign in");
  await signIn(page, PASSWORD);
  await page.waitForURL(`${strictApp.url}/members`);
  // The link that is left there leads to the sign-in page, which says who is signed in.
  await tab.click("main [role=status] a");
  await tab.waitForURL(/\/sign-in/);
  expect(complaints).toEqual([]);
  await context.close();
});

test("on another device the mail's page leads to the application's first page, and to no address that a mail named", async () => {
  const email = "carla@brina.example";
  await registerProved(service, email);
  const { context, page } = await openTab(browser);
  await page.goto(`${app.url}/members`);
  await page.fill("#identifier", email);
  await page.click("text=Forgotten your password?");
  await page.click("button[type=submit]");
  await heading(page, "Check your mail");
  const [link = ""] = (await mailTo(service, email, "reset")).links;
  await context.close();
  const phone = await openTab(browser, { width: 390 });
  await phone.page.goto(link);
  for (const name of ["password", "repeated"]) await phone.page.fill(`[name=${name}]`, NEW);
  await phone.page.click("button[type=submit]");
  await heading(phone.page, "Your new password is saved");
  expect(await phone.page.getAttribute("main >> text=Sign in", "href")).not.toContain("next");
  await looksRight(phone.page, "3-saved-elsewhere");
  await phone.page.click("text=Back to Brina Huts");
  await phone.page.waitForURL(`${app.url}/`);
  expect(phone.complaints).toEqual([]);
  await phone.context.close();
});

test("the account page leads back to the application, and its bar to the account page", async () => {
  const email = "dora@brina.example";
  await registerProved(service, email);
  // Another client of the same site has the same first page.
  await registerApp(service, Number(new URL(app.url).port), "Brina Huts by itself");
  const { context, page, complaints } = await openTab(browser);
  await page.goto(`${app.url}/members`);
  await signIn(page, PASSWORD, email);
  await page.waitForURL(`${app.url}/members`);
  await page.click("header >> text=dora@brina.example");
  await heading(page, "Your account");
  await looksRight(page, "4-account-page-with-its-way-back");
  expect(await page.locator("header nav a").allTextContents()).toEqual([
    "Back to Brina Huts",
    "Back to Hut book",
  ]);
  await page.click("text=Back to Brina Huts");
  await page.waitForURL(`${app.url}/`);
  expect(complaints).toEqual([]);
  await context.close();
});
