import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { Browser, Page } from "playwright-core";
import { violations } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import type { TestSampleApp } from "../../testing/sample-app.ts";
import { startSampleApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, startService } from "../../testing/service.ts";

let service: TestService;
let sample: TestSampleApp;
let browser: Browser;
beforeAll(async () => {
  service = await startService();
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
    expect(await page.textContent("main")).toContain("You go on to Brina Huts afterwards.");
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
    expect(await page.textContent("[aria-live=assertive]")).toContain("do not belong together");
    expect(await page.inputValue("#identifier")).toBe("petra@brina.example");
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
      ["identifier", "username", null],
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
    await page.keyboard.press("Tab");
    await page.keyboard.type("petra@brina.example");
    await page.keyboard.press("Tab");
    await page.keyboard.type(PASSWORD);
    await page.keyboard.press("Enter");
    await at(page, `${service.url}/account`);
    await page.waitForSelector("dl");
    await page.locator("text=Sign out").focus();
    await page.keyboard.press("Enter");
    await page.waitForSelector("text=Sign out?");
    await page.keyboard.press("Tab");
    await page.keyboard.press("Enter");
    await at(page, `${service.url}/sign-in`);
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
    expect(await violations(page)).toEqual([]);
    await page.fill("#present", "a wrong long password");
    await page.fill("#password", `${PASSWORD}, changed`);
    await page.fill("#repeated", `${PASSWORD}, changed`);
    await page.click("button[type=submit]");
    await page.waitForSelector("#present[aria-invalid=true]");
    await page.fill("#present", PASSWORD);
    await page.click("button[type=submit]");
    await page.waitForSelector("text=Your password is changed");
    expect(await page.textContent("main")).toMatch(
      /other sessions? (was|were) ended; you stay signed in here/,
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
    await page.waitForSelector("text=Your password is changed");
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
    expect(await violations(page)).toEqual([]);
    await page.click("button[type=submit]");
    await page.waitForSelector("h1 >> text=Check your mail");
    // The mailbox opens in a tab of its own, so that the page that waits stays.
    const [mailbox] = await Promise.all([context.waitForEvent("page"), page.click("text=mailbox")]);
    await mailbox.waitForSelector("text=Open the link");
    expect(await violations(mailbox)).toEqual([]);
    const link = await mailbox.getAttribute("text=Open the link", "href");
    await mailbox.close();
    await page.goto(link ?? "");
    await page.waitForSelector("#repeated");
    expect(page.url()).toBe(`${service.url}/link`);
    expect(await violations(page)).toEqual([]);
    await page.fill("#password", "short");
    await page.fill("#repeated", "short");
    await page.click("button[type=submit]");
    await page.waitForSelector("#password[aria-invalid=true]");
    await page.fill("#password", "moss on the north side");
    await page.fill("#repeated", "moss on the north side");
    await page.click("button[type=submit]");
    await page.waitForSelector("text=Your new password is set");
    const secret = new URL(link ?? "").hash.slice(1);
    expect(secret).toMatch(/^lcl_/);
    expect(asked.join("\n")).not.toContain(secret);
    expect(service.log()).not.toContain(secret);
    await page.goto(link ?? "");
    await page.waitForSelector("h1 >> text=This link was used already");
    expect(await violations(page)).toEqual([]);
    await page.goto(`${service.url}/link`);
    await page.waitForSelector("h1 >> text=This link is not known");
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

describe("an operator in the console", () => {
  test("finds an account, sees its record taken apart, ends a session, reads the journal", async () => {
    await service.signIn("petra@brina.example");
    const { context, page, complaints } = await openTab(browser);
    await page.goto(`${service.url}/console`);
    await at(page, `${service.url}/sign-in`);
    await signIn(page, "office@brina.example");
    await at(page, `${service.url}/console`);
    await page.fill("input[type=search]", "petra");
    await page.click("text=Find");
    await page.click("td a >> text=petra@brina.example");
    await page.waitForSelector("figure");
    const record = await page.textContent("figure");
    for (const label of ["algorithm", "cost factor", "block size", "parallelization", "salt", "digest"])
      expect(record).toContain(label);
    expect(await page.textContent("main")).toContain("$scrypt$ln=8,r=8,p=1$");
    const alive = page.locator("td button", { hasText: /^End/ });
    await alive.first().waitFor();
    const before = await alive.count();
    await alive.first().click();
    await page.waitForSelector("text=ended by operator");
    expect(await alive.count()).toBe(before - 1);
    await page.click("nav >> text=Journal");
    await page.waitForSelector("text=session.ended-by-operator");
    await page.click("nav >> text=Apps");
    await page.waitForSelector(`text=${sample.clientId}`);
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("suspends an account after asking once more, and restores it", async () => {
    const { id, token } = await service.register("suspended.person@brina.example");
    const { context, page, complaints } = await openTab(browser);
    await page.goto(`${service.url}/console/accounts/${id}`);
    await signIn(page, "office@brina.example");
    await page.click("text=Suspend …");
    await page.click("text=Leave it open");
    await page.click("text=Suspend …");
    await page.click("text=Suspend it");
    await page.waitForSelector("text=Restore");
    await expect(service.as(token)(routes.showSession)).rejects.toThrow();
    expect(await page.textContent("main")).toContain("suspended");
    await page.click("text=Restore");
    await page.waitForSelector("text=Suspend …");
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("adds an account, whose person chooses a new password inside the sign-in; erases it after asking once more", async () => {
    const { context, page, complaints } = await openTab(browser);
    await page.goto(`${service.url}/console/accounts`);
    await signIn(page, "office@brina.example");
    await page.click("summary >> text=Add or invite somebody");
    await page.uncheck("[name=invites]");
    await page.fill("#email", "nora@brina.example");
    await page.fill("#labels", "Keeper");
    await page.fill("#password", "the first long password");
    await page.click("text=Add it");
    await page.waitForSelector("text=Use lower-case letters");
    await page.fill("#labels", "keeper, cook");
    await page.click("text=Add it");
    await page.waitForSelector("text=A new password is wanted at the next sign-in.");
    const address = page.url();

    const person = await openTab(browser);
    await person.page.goto(`${service.url}/sign-in`);
    await person.page.fill("#identifier", "nora@brina.example");
    await person.page.fill("#password", "the first long password");
    await person.page.click("button[type=submit]");
    await person.page.waitForSelector("#repeated");
    expect(await violations(person.page)).toEqual([]);
    expect(await person.page.textContent("ol")).toMatch(/password[^]*new password/);
    await person.page.fill("#password", "the first long password");
    await person.page.fill("#repeated", "the first long password");
    await person.page.click("button[type=submit]");
    await person.page.waitForSelector("text=to be replaced");
    await person.page.fill("#password", "aaaaaaaaaaaaaaaaaaa");
    await person.page.waitForSelector("text=Very weak");
    await person.page.fill("#password", "larch needles on the sill");
    await person.page.waitForSelector("text=/^(Good|Strong)$/");
    await person.page.fill("#repeated", "larch needles on the sill");
    await person.page.click("button[type=submit]");
    await at(person.page, `${service.url}/account`);
    await person.page.waitForSelector("dl");
    expect(await person.page.textContent("main")).toContain("keeper, cook");

    // The person changes name and username.
    await person.page.click("text=Change name");
    await person.page.fill("#displayName", "Nora of Nevaio");
    await person.page.fill("#username", "no spaces");
    await person.page.click("button[type=submit]");
    await person.page.waitForSelector("#username[aria-invalid=true]");
    await person.page.fill("#username", "nora.n");
    await person.page.click("button[type=submit]");
    await person.page.waitForSelector("h1 >> text=Nora of Nevaio");

    await page.goto(address);
    await page.click("text=Erase …");
    await page.click("text=Keep it");
    await page.click("text=Erase …");
    await page.click("text=Erase it for good");
    await at(page, `${service.url}/console/accounts`);
    await person.page.goto(`${service.url}/account`);
    await at(person.page, `${service.url}/sign-in`);
    expect([...complaints, ...person.complaints]).toEqual([]);
    await person.context.close();
    await context.close();
  });

  test("sees the hash fleet, measures schemes, and comes from a band to its accounts", async () => {
    const { context, page, complaints } = await openTab(browser);
    await page.goto(`${service.url}/console/hashes`);
    await signIn(page, "office@brina.example");
    await page.waitForSelector("canvas");
    await page.waitForSelector("td >> text=$scrypt$ln=8,r=8,p=1");
    expect(await page.textContent("main")).toMatch(/\d+ of \d+ records are/);
    await page.selectOption("select", "pbkdf2-sha512");
    await page.fill("input[type=number] >> nth=0", "10");
    await page.click("text=Measure on this machine");
    await page.waitForSelector("table >> text=present", { timeout: 60_000 });
    expect(await page.locator("canvas").count()).toBe(2);
    expect(await violations(page)).toEqual([]);
    await page.click("td a >> text=$scrypt$ln=8,r=8,p=1");
    await page.waitForSelector("h1 >> text=Accounts with $scrypt$ln=8,r=8,p=1");
    await page.waitForSelector("td a");
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("a member is told that the console is for operators", async () => {
    const { context, page } = await openTab(browser);
    await page.goto(`${service.url}/console`);
    await signIn(page, "petra@brina.example");
    await page.waitForSelector("text=For operators only");
    await context.close();
  });
});

describe("every page", () => {
  test.each([
    ["light", false],
    ["dark", true],
  ])(
    "AC-3 AC-8 has no accessibility violation in %s, and no sideways scrolling at 320 pixels",
    async (_mode, dark) => {
      const { context, page, complaints } = await openTab(browser, { dark });
      const titles = new Set<string>();
      const look = async (path: string, ready: string) => {
        await page.goto(service.url + path);
        await page.waitForSelector(ready);
        expect({ path, violations: await violations(page) }).toEqual({ path, violations: [] });
        titles.add(await page.title());
        await page.setViewportSize({ width: 320, height: 700 });
        const wider = await page.evaluate(() => document.documentElement.scrollWidth > window.innerWidth);
        expect({ path, wider }).toEqual({ path, wider: false });
        await page.setViewportSize({ width: 1280, height: 800 });
      };
      await look("/register", "form");
      await look("/problems/sign-in-refused", "h1");
      await look("/docs", "details");
      await look("/sign-in", "form");
      await page.click("button[type=submit]");
      await page.waitForSelector("[aria-invalid=true]");
      expect(await violations(page)).toEqual([]);
      await signIn(page, "office@brina.example");
      await at(page, `${service.url}/account`);
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
      expect(await violations(page)).toEqual([]);
      for (const name of ["sessions", "journal", "apps"]) await look(`/console/${name}`, "table");
      await look("/console/hashes", "canvas");
      await look("/console/webhooks", "text=Notices to the application stand here");
      expect(titles.size).toBe(20);
      expect(complaints).toEqual([]);
      await context.close();
    },
    120_000,
  );
});
