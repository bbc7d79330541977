import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { Browser, Page } from "playwright-core";
import { violationsOnTheWay } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import { keepPicture } from "../../testing/pictures.ts";
import type { TestSampleApp } from "../../testing/sample-app.ts";
import { startSampleApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

let service: TestService;
let sample: TestSampleApp;
let browser: Browser;
beforeAll(async () => {
  service = await startShipped({ settings: { LUCCHETTO_THROTTLE_FIRST_WAIT: "5s" } });
  await service.operator();
  sample = await startSampleApp(service);
  browser = await startBrowser();
});
afterAll(async () => {
  await browser.close();
  await sample.stop();
  await service.stop();
});

const at = (page: Page, url: string) => page.waitForURL((address) => address.href.startsWith(url));
/** Presses the tabulator until something has the focus; whatever stands before it is a few steps at the most. */
async function tabTo(page: Page, selector: string): Promise<void> {
  const wanted = page.locator(selector).first();
  for (let steps = 0; steps < 6; steps += 1) {
    await page.keyboard.press("Tab");
    if (await wanted.evaluate((element) => element === element.ownerDocument.activeElement)) return;
  }
  throw new Error(`six steps do not lead to ${selector}`);
}
async function signIn(page: Page, identifier: string, password = PASSWORD): Promise<void> {
  await page.fill("#identifier", identifier);
  await page.fill("#password", password);
  await page.click("button[type=submit]");
}

describe("a person in a browser", () => {
  test("registers, sees the closed page, signs out, and finds it closed; the back button shows nothing", async () => {
    const { context, page, complaints } = await openTab(browser);
    await page.goto(`${sample.url}/members`);
    await at(page, `${service.url}/sign-in`);
    expect(await page.textContent("main")).toContain("Sign in to continue to Brina Huts.");
    await page.click("text=Register");
    await page.fill("#email", "petra@brina.example");
    await page.fill("#displayName", "Petra Sasso");
    await page.fill("#password", PASSWORD);
    await page.fill("#repeated", PASSWORD);
    await page.click("button[type=submit]");
    await at(page, `${sample.url}/members`);
    expect(await page.textContent("h1")).toBe("My nights");
    expect(await page.textContent("header")).toContain("Petra Sasso");

    const cookies = await context.cookies();
    expect(cookies.map(({ httpOnly, sameSite }) => ({ httpOnly, sameSite }))).toEqual(
      cookies.map(() => ({ httpOnly: true, sameSite: "Lax" })),
    );
    expect(await page.evaluate(() => document.cookie)).toBe("");

    await page.click("text=Sign out");
    await at(page, `${sample.url}/`);
    expect(await page.textContent(".message")).toBe("You are signed out.");
    expect(await page.textContent("header")).toContain("Sign in");
    await page.reload();
    expect(await page.locator(".message").count()).toBe(0);
    await page.goBack();
    await page.waitForLoadState();
    expect(await page.content()).not.toContain("Petra Sasso");
    await page.goto(`${sample.url}/members`);
    await at(page, `${service.url}/sign-in`);
    // The cookies of before are dead on the server too.
    await context.addCookies(cookies);
    await page.goto(`${sample.url}/members`);
    await at(page, `${service.url}/sign-in`);
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("AC-5 wrong input stands at its field, is tied to it, gets the focus, and what was typed stays", async () => {
    const { context, page } = await openTab(browser);
    await page.goto(`${service.url}/register`);
    await page.fill("#email", "petra@brina.example");
    await page.fill("#username", "no spaces allowed");
    await page.fill("#password", PASSWORD);
    await page.fill("#repeated", `${PASSWORD}!`);
    await page.click("button[type=submit]");
    await page.waitForSelector("#repeated[aria-invalid=true]");
    await page.fill("#repeated", PASSWORD);
    await page.click("button[type=submit]");
    await page.waitForSelector("#username[aria-invalid=true]");
    expect(await page.evaluate(() => document.activeElement?.id)).toBe("username");
    const describedBy = await page.getAttribute("#username", "aria-describedby");
    expect(describedBy).toContain("username-error");
    expect(await page.inputValue("#email")).toBe("petra@brina.example");
    expect(await page.inputValue("#password")).toBe(PASSWORD);
    await context.close();
  });

  test("a refused sign-in says so, announces it, and keeps the name", async () => {
    const { context, page } = await openTab(browser);
    await page.goto(`${service.url}/sign-in`);
    await signIn(page, "petra@brina.example", "a wrong long password");
    await page.waitForSelector("[data-form-problem]");
    expect(await page.textContent("[role=alert]")).toContain("name or the password is wrong");
    expect(await page.inputValue("#identifier")).toBe("petra@brina.example");
    await context.close();
  });

  test("told to wait a moment, the page says so, waits, and signs in by itself", async () => {
    await service.register("quinto@brina.example");
    const call = () => service.signIn("quinto@brina.example", "a wrong long password").catch(() => null);
    for (let free = 5; free > 0; free -= 1) await call();
    const { context, page, complaints } = await openTab(browser);
    await page.goto(`${service.url}/sign-in`);
    await signIn(page, "quinto@brina.example");
    await page.waitForSelector("[aria-hidden=true] >> text=Too many tries. Trying again in");
    expect(await page.textContent("[role=status]")).toContain("Trying again in");
    await keepPicture(page, "told-to-wait");
    await at(page, `${service.url}/account`);
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("AC-1 AC-2 PW-14 fields tell managers what they are; showing and pasting work, nothing is cut off", async () => {
    const { context, page } = await openTab(browser);
    const tokens = async (path: string) => {
      await page.goto(service.url + path);
      await page.waitForSelector("form");
      return page.$$eval("form input:not([type=checkbox])", (inputs) =>
        inputs.map((input) => [
          input.getAttribute("name"),
          input.getAttribute("autocomplete"),
          input.getAttribute("maxlength"),
        ]),
      );
    };
    expect(await tokens("/register")).toEqual([
      ["email", "email", null],
      ["username", "username", null],
      ["displayName", "name", null],
      ["password", "new-password", null],
      ["repeated", "new-password", null],
    ]);
    expect(await tokens("/sign-in")).toEqual([
      ["identifier", "username webauthn", null],
      ["password", "current-password", null],
    ]);
    const long = "long ".repeat(13);
    await context.grantPermissions(["clipboard-read", "clipboard-write"]);
    await page.evaluate((text) => navigator.clipboard.writeText(text), long);
    await page.focus("#password");
    await page.keyboard.press("Control+V");
    expect(await page.inputValue("#password")).toBe(long);
    await page.click("text=Show");
    expect(await page.getAttribute("#password", "type")).toBe("text");
    expect(await page.inputValue("#password")).toBe(long);
    await page.click("text=Hide");
    expect(await page.getAttribute("#password", "type")).toBe("password");
    await context.close();
  });

  test("AC-4 the journey works by keyboard alone", async () => {
    const { context, page } = await openTab(browser);
    await page.goto(`${service.url}/sign-in`);
    await page.waitForSelector("form");
    await tabTo(page, "#identifier");
    await page.keyboard.type("petra@brina.example");
    await tabTo(page, "#password");
    await page.keyboard.type(PASSWORD);
    await page.keyboard.press("Enter");
    await at(page, `${service.url}/account`);
    await page.waitForSelector("dl");
    await page.locator("text=Sign out").focus();
    await page.keyboard.press("Enter");
    await page.waitForSelector("text=Sign out?");
    await tabTo(page, "main button");
    await page.keyboard.press("Enter");
    await at(page, `${service.url}/sign-in`);
    await context.close();
  });

  test("a passkey in the password's place asks for the name first, and puts the focus there", async () => {
    const { context, page } = await openTab(browser);
    await page.goto(`${service.url}/register`);
    await page.click("button >> text=Register with a passkey");
    await page.waitForSelector("#email-error");
    expect(await page.evaluate(() => document.activeElement?.id)).toBe("email");
    await context.close();
  });

  test("a link to the sign-out page signs nobody out by itself", async () => {
    const { context, page } = await openTab(browser);
    await page.goto(`${service.url}/sign-in`);
    await signIn(page, "petra@brina.example");
    await at(page, `${service.url}/account`);
    await page.goto(
      `${service.url}/sign-out?client_id=${sample.clientId}&return_to=${encodeURIComponent(`${sample.url}/signed-out`)}`,
    );
    await page.waitForSelector("text=Sign out?");
    await page.goto(`${service.url}/account`);
    await page.waitForSelector("dl");
    expect(await page.textContent("main")).toContain("petra@brina.example");
    await context.close();
  });

  test("while the session is not known, the page shows neither state", async () => {
    const { context, page } = await openTab(browser);
    await page.goto(`${service.url}/sign-in`);
    await signIn(page, "petra@brina.example");
    await at(page, `${service.url}/account`);
    let answer = (): void => undefined;
    const held = new Promise<void>((resolve) => (answer = resolve));
    await page.route("**/v1/session", async (route) => {
      await held;
      await route.continue();
    });
    await page.goto(`${service.url}/account`);
    await page.waitForTimeout(300);
    expect((await page.textContent("#page"))?.trim()).toBe("");
    answer();
    await page.waitForSelector("dl");
    await context.close();
  });

  test("AC-2 changes the password on a page that managers understand; the other session is over", async () => {
    const { context, page, complaints } = await openTab(browser);
    const elsewhere = await service.signIn("petra@brina.example");
    await page.goto(`${service.url}/.well-known/change-password`);
    await at(page, `${service.url}/sign-in`);
    await signIn(page, "petra@brina.example");
    await at(page, `${service.url}/account/password`);
    await page.waitForSelector("form");
    expect(await page.inputValue("input[name=username]")).toBe("petra@brina.example");
    expect(await violationsOnTheWay(page)).toEqual([]);
    await page.fill("#present", "a wrong long password");
    await page.fill("#password", `${PASSWORD}, changed`);
    await page.fill("#repeated", `${PASSWORD}, changed`);
    await page.click("button[type=submit]");
    await page.waitForSelector("#present[aria-invalid=true]");
    await page.fill("#present", PASSWORD);
    await page.click("button[type=submit]");
    await page.waitForSelector("text=Password changed");
    expect(await page.textContent("main")).toMatch(
      /You stay signed in here\. \d+ other sessions? (was|were) signed out/,
    );
    await page.click("text=Your account");
    await page.waitForSelector("dl");
    await expect(service.as(elsewhere)(routes.showSession)).rejects.toThrow();
    // Back again, for the tests after this one.
    await page.goto(`${service.url}/account/password`);
    await page.fill("#present", `${PASSWORD}, changed`);
    await page.fill("#password", PASSWORD);
    await page.fill("#repeated", PASSWORD);
    await page.click("button[type=submit]");
    await page.waitForSelector("text=Password changed");
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("LI-16 a forgotten password: the link is opened from the mailbox, its secret leaves no trace, and it works once", async () => {
    await service.register("lost@brina.example");
    const { context, page, complaints } = await openTab(browser);
    const asked: string[] = [];
    page.on("request", (request) => asked.push(`${request.url()} ${request.headers()["referer"] ?? ""}`));
    await page.goto(`${service.url}/sign-in`);
    await page.fill("#identifier", "lost@brina.example");
    await page.click("text=Forgotten your password?");
    await page.waitForSelector("h1 >> text=Forgotten your password?");
    expect(await page.inputValue("#identifier")).toBe("lost@brina.example");
    expect(await violationsOnTheWay(page)).toEqual([]);
    await page.click("button[type=submit]");
    await page.waitForSelector("h1 >> text=Check your mail");
    // The mailbox opens in a tab of its own, so that the page that waits stays.
    const [mailbox] = await Promise.all([context.waitForEvent("page"), page.click("text=mailbox")]);
    await mailbox.waitForSelector("text=Open the link");
    expect(await violationsOnTheWay(mailbox)).toEqual([]);
    const link = await mailbox.getAttribute("text=Open the link", "href");
    await mailbox.close();
    await page.goto(link ?? "");
    await page.waitForSelector("#repeated");
    expect(page.url()).toBe(`${service.url}/link`);
    expect(await violationsOnTheWay(page)).toEqual([]);
    await page.fill("#password", "short");
    await page.fill("#repeated", "short");
    await page.click("button[type=submit]");
    await page.waitForSelector("#password[aria-invalid=true]");
    await page.fill("#password", "moss on the north side");
    await page.fill("#repeated", "moss on the north side");
    await page.click("button[type=submit]");
    await page.waitForSelector("text=Your new password is saved");
    const secret = new URL(link ?? "").hash.slice(1);
    expect(secret).toMatch(/^lcl_/);
    expect(asked.join("\n")).not.toContain(secret);
    expect(service.log()).not.toContain(secret);
    await page.goto(link ?? "");
    await page.waitForSelector("h1 >> text=This link has already been used");
    expect(await violationsOnTheWay(page)).toEqual([]);
    await page.goto(`${service.url}/link`);
    await page.waitForSelector("h1 >> text=This link is not valid");
    await page.click("text=Sign in");
    await page.fill("#identifier", "lost@brina.example");
    await page.fill("#password", "moss on the north side");
    await page.click("button[type=submit]");
    await at(page, `${service.url}/account`);
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("HT-6 a foreign address to go on to is not followed", async () => {
    const { context, page } = await openTab(browser);
    await page.goto(`${service.url}/sign-in?next=${encodeURIComponent("//evil.test/")}`);
    await signIn(page, "petra@brina.example");
    await at(page, `${service.url}/account`);
    await context.close();
  });
});
