import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { Browser, Page } from "playwright-core";
import { scrollsSideways, violationsOnTheWay } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import type { TestSampleApp } from "../../testing/sample-app.ts";
import { startSampleApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { mailTo } from "../../testing/visitor.ts";

const NEW = "moss on the north side";
const MINUTE = 60_000;

let service: TestService;
let sample: TestSampleApp;
let browser: Browser;
beforeAll(async () => {
  service = await startShipped({ settings: { LUCCHETTO_ACCOUNTS_TELL_TAKEN: "false" } });
  sample = await startSampleApp(await withOperator(service));
  browser = await startBrowser();
});
afterAll(async () => {
  await browser.close();
  await sample.stop();
  await service.stop();
});

/** On a site that does not tell, an operator begins with a proved address too. */
async function withOperator(site: TestService): Promise<TestService> {
  await account("office@brina.example", '["operator"]', site);
  return site;
}

/** Somebody whose address is proved. */
async function account(email: string, labels = "[]", site = service): Promise<void> {
  await site.client(routes.register, { body: { email, password: PASSWORD, deliver: "token" } });
  const { links } = await mailTo(site, email, "verify");
  const secret = new URL(links[0] ?? "").hash.slice(1);
  await site.client(routes.redeemLink, { body: { secret, present: PASSWORD } });
  await site.dataSource.query("UPDATE account SET labels = ? WHERE email = ?", [labels, email]);
}

const linkOf = async (email: string, template: string) =>
  (await mailTo(service, email, template)).links[0] ?? "";
const heading = (page: Page, text: string) => page.waitForSelector(`h1 >> text=${text}`);
async function looksRight(page: Page): Promise<void> {
  expect(await violationsOnTheWay(page)).toEqual([]);
  expect(await scrollsSideways(page)).toBe(false);
}
async function signIn(page: Page, email: string, password = PASSWORD): Promise<void> {
  await page.fill("#identifier", email);
  await page.fill("#password", password);
  await page.click("button[type=submit]");
}

describe("mailed links in a browser", () => {
  test("SI-3 registering where nothing is told: this browser alone knows that a mail waits; a click begins the account", async () => {
    const { context, page, complaints } = await openTab(browser, { width: 320 });
    await page.goto(`${service.url}/register`);
    await page.fill("#email", "anna@brina.example");
    await page.fill("#password", PASSWORD);
    await page.fill("#repeated", PASSWORD);
    await page.click("button[type=submit]");
    await heading(page, "Check your mail");
    expect(await page.textContent("button >> text=Send again")).toMatch(/in \d+ s/);
    await looksRight(page);
    await page.goto(`${service.url}/sign-in`);
    await signIn(page, "anna@brina.example");
    await page.waitForSelector("text=Open the link in your mail first");
    await page.goto(await linkOf("anna@brina.example", "verify"));
    await heading(page, "Confirm your address");
    expect(page.url()).toBe(`${service.url}/link`);
    await looksRight(page);
    await page.click("button[type=submit]");
    await heading(page, "Your address is confirmed");
    await page.click("text=Sign in");
    await heading(page, "Sign in");
    expect(await page.inputValue("#identifier")).toBe("anna@brina.example");
    await page.fill("#password", PASSWORD);
    await page.click("button[type=submit]");
    await page.waitForURL(`${service.url}/account`);
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("SI-12 opened in another browser: a wrong password stands at its field, a new one makes the account", async () => {
    const email = "bruno@brina.example";
    await service.client(routes.register, { body: { email, password: PASSWORD } });
    const { context, page, complaints } = await openTab(browser, { dark: true });
    await page.goto(await linkOf(email, "verify"));
    await page.fill("#present", "a wrong long password");
    await page.click("button[type=submit]");
    await page.waitForSelector("#present[aria-invalid=true]");
    await looksRight(page);
    await page.click("button >> text=choose a new one");
    await page.fill("#password", NEW);
    await page.fill("#repeated", NEW);
    await looksRight(page);
    await page.click("button[type=submit]");
    await heading(page, "Your address is confirmed");
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("LI-13 LI-16 the application's “mail me a link” across two browsers, with a code; neither leaves a trace of the secret", async () => {
    await account("carla@brina.example");
    const [laptop, phone] = [await openTab(browser), await openTab(browser, { dark: true, width: 320 })];
    const asked: string[] = [];
    for (const { context } of [laptop, phone])
      context.on("request", (request) =>
        asked.push(`${request.url()} ${request.headers()["referer"] ?? ""}`),
      );
    await laptop.page.goto(sample.url);
    await laptop.page.click("text=Mail me a link");
    await laptop.page.fill("#identifier", "carla@brina.example");
    await laptop.page.click("button[type=submit]");
    await heading(laptop.page, "Check your mail");
    await looksRight(laptop.page);
    const link = await linkOf("carla@brina.example", "sign-in");
    await phone.page.goto(link);
    await heading(phone.page, "Signing in elsewhere?");
    await looksRight(phone.page);
    await phone.page.click("button[type=submit]");
    await heading(phone.page, "Your code");
    await looksRight(phone.page);
    const code = ((await phone.page.textContent("p[role=status]")) ?? "").trim();
    await laptop.page.fill("#code", "12345");
    await laptop.page.click("button[type=submit]");
    await laptop.page.waitForSelector("#code[aria-invalid=true]");
    await laptop.page.fill("#code", code);
    await laptop.page.click("button[type=submit]");
    await laptop.page.waitForURL((address) => address.href.startsWith(sample.url));
    expect(await laptop.page.textContent("header")).toContain("carla@brina.example");
    await phone.page.goto("about:blank");
    await phone.page.goto(link);
    await heading(phone.page, "This link has already been used");
    await looksRight(phone.page);
    const secret = new URL(link).hash.slice(1);
    expect(asked.join("\n")).not.toContain(secret);
    expect(service.log()).not.toContain(secret);
    expect([...laptop.complaints, ...phone.complaints]).toEqual([]);
    await laptop.context.close();
    await phone.context.close();
  });

  test("LI-13 in the same browser the click signs in, and the tab that waited knows it", async () => {
    await account("dora@brina.example");
    const { context, page } = await openTab(browser);
    await page.goto(`${service.url}/sign-in`);
    await page.fill("#identifier", "dora@brina.example");
    await page.click("text=Mail me a link instead");
    await heading(page, "Check your mail");
    const other = await context.newPage();
    await other.goto(await linkOf("dora@brina.example", "sign-in"));
    await heading(other, "Sign in");
    await looksRight(other);
    await other.click("button[type=submit]");
    await other.waitForURL(`${service.url}/account`);
    await page.waitForURL(`${service.url}/account`);
    await context.close();
  });

  test("expired and superseded links say what to do next", async () => {
    await account("elio@brina.example");
    const { context, page } = await openTab(browser);
    const ask = async () => {
      await page.goto(`${service.url}/forgot`);
      await page.fill("#identifier", "elio@brina.example");
      await page.click("button[type=submit]");
      await heading(page, "Check your mail");
    };
    await ask();
    const first = await linkOf("elio@brina.example", "reset");
    await ask();
    await page.goto(first);
    await heading(page, "There is a newer link");
    await looksRight(page);
    const newest = await linkOf("elio@brina.example", "reset");
    await service.clock.advance(31 * MINUTE);
    await page.goto("about:blank");
    await page.goto(newest);
    await heading(page, "This link has expired");
    await looksRight(page);
    await page.click("text=Get a new link");
    await heading(page, "Forgotten your password?");
    await service.clock.reset();
    await context.close();
  });

  test("SE-16 LI-15 another address: asked who it is in place, then it goes on; the old address takes it back", async () => {
    await account("fausta@brina.example");
    const { context, page, complaints } = await openTab(browser);
    await page.goto(`${service.url}/account`);
    await signIn(page, "fausta@brina.example");
    await page.waitForURL(`${service.url}/account`);
    await service.clock.advance(11 * MINUTE);
    await page.click("text=Change address");
    await page.fill("#email", "stolen@brina.example");
    await page.click("button[type=submit]");
    await page.waitForSelector("text=Confirm that it’s you to continue");
    await looksRight(page);
    await page.fill("#password", PASSWORD);
    await page.click("button[type=submit]");
    await heading(page, "Check your mail");
    await looksRight(page);
    // On the phone the link changes nothing: it shows a code for the page that asked.
    const phone = await openTab(browser);
    await phone.page.goto(await linkOf("stolen@brina.example", "change-email"));
    await heading(phone.page, "Confirm this address?");
    await looksRight(phone.page);
    await phone.page.click("button[type=submit]");
    await heading(phone.page, "Your code");
    await looksRight(phone.page);
    const code = (await phone.page.textContent("p[role=status]")) ?? "";
    await page.fill("#code", code.replace(/\D/g, ""));
    await page.click("button[type=submit]");
    await heading(page, "Your new address is in use");
    // A browser that the account never knew shows the password from before.
    await phone.page.goto(await linkOf("fausta@brina.example", "email-changed"));
    await heading(phone.page, "Restore your account");
    await looksRight(phone.page);
    await phone.page.fill("#password", NEW);
    await phone.page.fill("#repeated", NEW);
    await phone.page.fill("#present", NEW);
    await phone.page.click("button[type=submit]");
    await phone.page.waitForSelector("text=This is not the password from before the change.");
    await phone.page.fill("#present", PASSWORD);
    await phone.page.click("button[type=submit]");
    await heading(phone.page, "Your account is restored");
    expect(phone.complaints).toEqual([]);
    await phone.context.close();
    await service.clock.reset();
    await page.goto(`${service.url}/sign-in`);
    await signIn(page, "fausta@brina.example", NEW);
    await page.waitForURL(`${service.url}/account`);
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("whoever is sent to sign in by mail is asked for no password, and may take one instead", async () => {
    const { context, page, complaints } = await openTab(browser);
    for (const address of [
      "/sign-in?by=mail",
      "/sign-in?by=mail&next=/account",
      "/sign-in?next=/account&by=mail",
    ]) {
      await page.goto(service.url + address);
      await page.waitForSelector("button >> text=Mail me a link");
      expect([address, await page.locator("#password").count()]).toEqual([address, 0]);
    }
    await page.click("button >> text=Use the password instead");
    await page.waitForSelector("#password");
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("an operator invites in the console, sees the mail in each form, and moves the clock; the guest begins", async () => {
    const { context, page, complaints } = await openTab(browser);
    await page.goto(`${service.url}/console`);
    await signIn(page, "office@brina.example");
    await page.click("button >> text=Add or invite somebody");
    await page.fill("#email", "gino@brina.example");
    await page.fill("#displayName", "Gino <b>Ruscello</b>");
    await page.click("button:text-is('Invite')");
    await page.waitForSelector("text=invited");
    await page.click("nav >> text=Mail");
    await page.click("tbody button >> text=You are invited to Brina Huts");
    const mail = page.frameLocator("iframe");
    await mail.locator("a >> text=Accept the invitation").waitFor();
    await page.click("button >> text=Text");
    expect(await page.textContent("pre")).toContain("Accept the invitation:\nhttp");
    await page.click("button >> text=Source");
    await page.waitForFunction(() => document.querySelector("pre")?.textContent?.includes("Message-ID"));
    await page.selectOption("select", "held");
    await page.waitForSelector("text=No mail has that status.");
    await page.click("text=+31 min");
    // Nobody used the session for half an hour: it is over, and the page says so by itself.
    await heading(page, "You are signed out");
    await page.waitForSelector("text=moved by 31 min");
    await page.click("text=Reset");
    await page.waitForSelector("text=clock not moved");
    const guest = await openTab(browser);
    await guest.page.goto(await linkOf("gino@brina.example", "invite"));
    await heading(guest.page, "Welcome to Brina Huts");
    await looksRight(guest.page);
    await guest.page.fill("#password", NEW);
    await guest.page.fill("#repeated", NEW);
    await guest.page.click("button[type=submit]");
    await heading(guest.page, "Welcome");
    expect([...complaints, ...guest.complaints]).toEqual([]);
    await guest.context.close();
    await context.close();
  });
});
