/** Walks that begin at an application's closed page and go by links alone: each ends where it began. */
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { PLAIN_PAGES, SIGN_OUT_PAGE, VISITED_PAGES } from "@lucchetto/contract";
import { createHasp } from "@lucchetto/hasp";
import { fastifyHasp } from "@lucchetto/hasp/fastify";
import Fastify from "fastify";
import type { Browser, Page } from "playwright-core";
import { scrollsSideways, violationsOnTheWay } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import { keepPicture } from "../../testing/pictures.ts";
import type { TestSampleApp } from "../../testing/sample-app.ts";
import { registerApp, startSampleApp } from "../../testing/sample-app.ts";
import { codesOf } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { mailTo, registerProved } from "../../testing/visitor.ts";
import { inWhole, sampleOf } from "../../testing/whole.ts";

const HOUR = 3_600_000;
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
  // The link that is left there has heard of it, and goes on to the same page.
  await tab.waitForSelector("text=The account is yours, and you are signed in.");
  await tab.click("main [role=status] >> text=Continue");
  await tab.waitForURL(`${strictApp.url}/members`);
  expect(complaints).toEqual([]);
  await context.close();
});

/** Forgotten at a closed page, up to the mail. */
async function askForReset(page: Page, email: string): Promise<string> {
  await page.goto(`${app.url}/members`);
  await page.fill("#identifier", email);
  await page.click("text=Forgotten your password?");
  await heading(page, "Forgotten your password");
  await page.click("button[type=submit]");
  await heading(page, "Check your mail");
  return (await mailTo(service, email, "reset")).links[0] ?? "";
}
async function reset(page: Page, link: string): Promise<void> {
  await page.goto(link);
  for (const name of ["password", "repeated"]) await page.fill(`[name=${name}]`, NEW);
  await page.click("button[type=submit]");
  await heading(page, "Your new password is saved");
}
const invite = (person: { email: string; page?: string }) =>
  createHasp({
    service: service.url,
    clientId: app.clientId,
    appKey: app.key,
    returnAddress: `${app.url}/signed-in`,
  }).accounts.invite(person);
async function accept(page: Page, email: string): Promise<void> {
  await page.goto((await mailTo(service, email, "invite")).links[0] ?? "");
  for (const name of ["password", "repeated"]) await page.fill(`[name=${name}]`, PASSWORD);
  await page.click("button[type=submit]");
  await heading(page, "Welcome");
}
/** By the link that the mail's page ends with, a sign-in at the application anew. */
async function goOn(page: Page, password: string, email: string): Promise<void> {
  await page.click("main >> text=Continue to Brina Huts");
  await heading(page, "Sign in");
  await page.waitForSelector("text=Back to Brina Huts");
  await signIn(page, password, email);
  await page.waitForURL(`${app.url}/members`);
}

test("WH-1 on another device the mail's page leads to the wanted page by a fresh request", async () => {
  const email = "carla@brina.example";
  await registerProved(service, email);
  const { context, page } = await openTab(browser);
  const link = await askForReset(page, email);
  await context.close();
  const phone = await openTab(browser, { width: 390 });
  await reset(phone.page, link);
  await looksRight(phone.page, "3-saved-elsewhere");
  await goOn(phone.page, NEW, email);
  expect(phone.complaints).toEqual([]);
  await phone.context.close();
});

inWhole("WH-1 in the same browser a request that was answered meanwhile is begun anew", async () => {
  const email = "clio@brina.example";
  await registerProved(service, email);
  const { context, page, complaints } = await openTab(browser);
  const link = await askForReset(page, email);
  // Remembered after all.
  const tab = await context.newPage();
  await tab.goto(page.url().replace("/forgot", "/sign-in"));
  await signIn(tab, PASSWORD, email);
  await tab.waitForURL(`${app.url}/members`);
  await reset(page, link);
  await page.click("main >> text=Sign in");
  await signIn(page, NEW);
  await page.waitForURL(`${app.url}/members`);
  expect(complaints).toEqual([]);
  await context.close();
});

test("WH-1 in the same browser a request that the application has forgotten is begun anew", async () => {
  const email = "cora@brina.example";
  const { context, page, complaints } = await openTab(browser);
  await page.goto(`${strictApp.url}/members`);
  await page.click("text=Register");
  await heading(page, "Register");
  await page.fill("#email", email);
  for (const name of ["password", "repeated"]) await page.fill(`[name=${name}]`, PASSWORD);
  await page.click("button[type=submit]");
  await heading(page, "Check your mail");
  const [link = ""] = (await mailTo(strict, email, "verify")).links;
  await strict.clock.advance(3 * HOUR);
  // The browser has forgotten it, too.
  const kept = (await context.cookies()).filter(({ name }) => !name.startsWith("lucchetto-away"));
  await context.clearCookies();
  await context.addCookies(kept);
  await page.goto(link);
  await page.click("button[type=submit]");
  await heading(page, "Your address is confirmed");
  await page.click("main >> text=Sign in");
  await signIn(page, PASSWORD);
  await page.waitForURL(`${strictApp.url}/members`);
  expect(complaints).toEqual([]);
  await context.close();
});

test.each(
  sampleOf<[string, string | undefined]>(
    [
      ["to a page", "/members"],
      ["to none", undefined],
    ],
    1,
  ),
)("WH-1 who was invited by an application's server %s lands there", async (_how, wanted) => {
  const email = wanted === undefined ? "ciro@brina.example" : "cesare@brina.example";
  await invite({ email, ...(wanted === undefined ? {} : { page: wanted }) });
  const { context, page, complaints } = await openTab(browser);
  await accept(page, email);
  await page.click("main >> text=Continue to Brina Huts");
  await signIn(page, PASSWORD, email);
  await page.waitForURL(`${app.url}${wanted ?? "/"}`);
  await page.waitForSelector(`header >> text=${email}`);
  expect(complaints).toEqual([]);
  await context.close();
});

test("WH-1 a mailed link that is used where it was asked for ends at the wanted page", async () => {
  const email = "cino@brina.example";
  await registerProved(service, email);
  const { context, page, complaints } = await openTab(browser);
  await page.goto(`${app.url}/members`);
  await page.fill("#identifier", email);
  await page.click("text=Mail me a link instead");
  await page.click("button[type=submit]");
  await heading(page, "Check your mail");
  const tab = await context.newPage();
  await tab.goto((await mailTo(service, email, "sign-in")).links[0] ?? "");
  await tab.click("button[type=submit]");
  await tab.waitForURL(`${app.url}/members`);
  expect(complaints).toEqual([]);
  await context.close();
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
  // Nobody was ever at the Hut book with this account.
  expect(await page.locator("header nav a").allTextContents()).toEqual(["Back to Brina Huts"]);
  const own = page.locator("h2:has-text('Your applications') ~ ul").first().locator("a");
  await own.first().waitFor();
  expect(await own.evaluateAll((links) => links.map((link) => link.getAttribute("href")))).toEqual([
    `${app.url}/`,
  ]);
  await page.click("text=Back to Brina Huts");
  await page.waitForURL(`${app.url}/`);
  expect(complaints).toEqual([]);
  await context.close();
});

test("at 390 pixels, in Italian: the bar of the application and the account page with its way back", async () => {
  const email = "dorina@brina.example";
  await registerProved(service, email);
  const { context, page, complaints } = await openTab(browser, { locale: "it-IT", width: 390 });
  await page.goto(`${app.url}/members`);
  await signIn(page, PASSWORD, email);
  await page.waitForURL(`${app.url}/members`);
  expect(await page.getAttribute("html", "lang")).toBe("it");
  await page.waitForSelector("header >> text=Esci");
  await looksRight(page, "4-bar-in-italian-at-390");
  await page.click(`header >> text=${email}`);
  await heading(page, "Il tuo account");
  await page.waitForSelector("h2 >> text=Le tue applicazioni");
  await looksRight(page, "4-account-page-in-italian-at-390");
  expect(complaints).toEqual([]);
  await context.close();
});

test("a guest at an open page who is signed in at Lucchetto is known there, asked once a visit without a page", async () => {
  const port = await freePort();
  const options = await registerApp(service, port, "Path book");
  const paths = Fastify();
  await paths.register(fastifyHasp, { ...options, askSilently: true });
  paths.get("/", { preHandler: paths.hasp.open() }, (request, reply) =>
    reply.type("text/html").send(`<title>Paths</title><h1>Hello ${request.account?.email ?? "guest"}</h1>`),
  );
  await paths.listen({ host: "127.0.0.1", port });
  try {
    const email = "carmen@brina.example";
    await registerProved(service, email);
    const { context, page, complaints } = await openTab(browser);
    const asked: string[] = [];
    page.on("request", (request) => {
      if (request.url().includes("prompt=none")) asked.push(request.url());
    });
    const url = `http://localhost:${port}/`;
    await page.goto(url);
    await heading(page, "Hello guest");
    await page.goto(url);
    await heading(page, "Hello guest");
    expect(asked).toHaveLength(1);
    await page.goto(`${app.url}/members`);
    await signIn(page, PASSWORD, email);
    await page.waitForURL(`${app.url}/members`);
    // Another visit.
    const kept = (await context.cookies()).filter(({ name }) => !name.startsWith("lucchetto-asked"));
    await context.clearCookies();
    await context.addCookies(kept);
    await page.goto(url);
    await heading(page, `Hello ${email}`);
    expect(page.url()).toBe(url);
    expect(asked).toHaveLength(2);
    expect(complaints).toEqual([]);
    await context.close();
  } finally {
    await paths.close();
  }
});

test("WH-1 a page that wants a second factor is reached by setting one up", async () => {
  const email = "chiara@brina.example";
  await registerProved(service, email);
  const { context, page, complaints } = await openTab(browser);
  await page.goto(`${app.url}/key-box`);
  await signIn(page, PASSWORD, email);
  await heading(page, "This page requires a second factor");
  await page.click("text=Add a second factor");
  await page.waitForSelector("text=Back to Brina Huts");
  await page.click("text=Set up an authenticator app");
  const uri = (await page.getAttribute("text=Open an app on this device", "href")) ?? "";
  // Another test may have moved the clock, which the services share.
  await service.clock.refresh();
  await page.fill("[autocomplete~=one-time-code]", codesOf(service, uri)());
  await page.click("button[type=submit]");
  await page.waitForSelector("text=Continue to Brina Huts");
  await looksRight(page, "5-second-factor-set-up");
  await page.click("text=Continue to Brina Huts");
  await page.waitForURL(`${app.url}/key-box`);
  expect(complaints).toEqual([]);
  await context.close();
});

test("WH-3 every page leads back to the application", async () => {
  const { context, page } = await openTab(browser);
  await page.goto(`${app.url}/members`);
  await signIn(page, PASSWORD, "dora@brina.example");
  await page.waitForURL(`${app.url}/members`);
  for (const path of [...PLAIN_PAGES, ...VISITED_PAGES, SIGN_OUT_PAGE]) {
    // The description of the calls is for developers.
    if (path === "/docs") continue;
    await page.goto(service.url + path);
    expect(await page.getAttribute("header >> text=Back to Brina Huts", "href")).toBe(`${app.url}/`);
  }
  await context.close();
});
