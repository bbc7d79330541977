import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { Browser, Page } from "playwright-core";
import { violationsOnTheWay } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import { eventually } from "../../testing/eventually.ts";
import type { TestSampleApp } from "../../testing/sample-app.ts";
import { startSampleApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

let service: TestService;
let operator: string;
let sample: TestSampleApp;
let browser: Browser;
beforeAll(async () => {
  service = await startShipped();
  operator = await service.operator();
  await service.register("petra@brina.example");
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
    const journal = async () => (await service.as(operator)(routes.showJournalHead)).body;
    await eventually(async () => (await journal()).waiting === 0, "everything is chained");
    await page.click("text=Verify the journal");
    await page.waitForSelector("text=/All \\d+ chained events are as they were written/");
    expect(await page.textContent("main")).toMatch(/\d+\.[A-Za-z0-9_-]{43}/);
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
    await page.click("text=Cancel");
    await page.click("text=Suspend …");
    await page.click('button:text-is("Suspend")');
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
    await page.click("button >> text=Add or invite somebody");
    await page.uncheck("[name=invites]");
    await page.fill("#email", "nora@brina.example");
    await page.fill("#labels", "Keeper");
    await page.fill("#password", "the first long password");
    await page.click("text=Add account");
    await page.waitForSelector("text=Use lower-case letters");
    await page.fill("#labels", "keeper, cook");
    await page.click("text=Add account");
    await page.waitForSelector("text=A new password is required at the next sign-in.");
    const address = page.url();

    const person = await openTab(browser);
    await person.page.goto(`${service.url}/sign-in`);
    await person.page.fill("#identifier", "nora@brina.example");
    await person.page.fill("#password", "the first long password");
    await person.page.click("button[type=submit]");
    await person.page.waitForSelector("#repeated");
    expect(await violationsOnTheWay(person.page)).toEqual([]);
    expect(await person.page.textContent("ol")).toMatch(/password[^]*new password/);
    await person.page.fill("#password", "the first long password");
    await person.page.fill("#repeated", "the first long password");
    await person.page.click("button[type=submit]");
    await person.page.waitForSelector("text=you are replacing");
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
    await page.click("text=Cancel");
    await page.click("text=Erase …");
    await page.click("text=Erase for good");
    // The list, not the account's own page below it: then it is done.
    await page.waitForURL(`${service.url}/console/accounts`);
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
    expect(await page.textContent("main")).toMatch(/\d+ of \d+ records do/);
    await page.selectOption("select", "pbkdf2-sha512");
    await page.fill("input[type=number] >> nth=0", "10");
    await page.click("text=Measure on this machine");
    await page.waitForSelector("table:has-text('Attacker’s cost') >> text=current");
    expect(await page.locator("canvas").count()).toBe(2);
    expect(await violationsOnTheWay(page)).toEqual([]);
    await page.click("td a >> text=$scrypt$ln=8,r=8,p=1");
    await page.waitForSelector("h1 >> text=Accounts with $scrypt$ln=8,r=8,p=1");
    await page.waitForSelector("td a");
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("sees how people sign in, and comes to those who have no second factor", async () => {
    const { context, page, complaints } = await openTab(browser);
    await page.goto(`${service.url}/console/sign-ins`);
    await signIn(page, "office@brina.example");
    await page.waitForSelector("canvas");
    await page.waitForSelector("tr >> text=Password");
    expect(await page.textContent("main")).toMatch(/Of \d+ active accounts, \d+ (has|have) a second factor/);
    expect(await violationsOnTheWay(page)).toEqual([]);
    await page.click("main p a");
    await page.waitForSelector("h1 >> text=Accounts with a second factor");
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
