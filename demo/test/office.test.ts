/** The sample application's office page: members managed by its own server, with the hasp. */
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { createHasp, LucchettoRefused } from "@lucchetto/hasp";
import { testAccounts } from "@lucchetto/hasp/testing";
import type { Browser, Page } from "playwright-core";
import { scrollsSideways, violations } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import { keepPicture } from "../../testing/pictures.ts";
import type { TestSampleApp } from "../../testing/sample-app.ts";
import { startSampleApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { mailsTo } from "../../testing/visitor.ts";

const GAIA = "gaia@brina.example";
let service: TestService;
let app: TestSampleApp;
let browser: Browser;
beforeAll(async () => {
  service = await startShipped();
  app = await startSampleApp(service);
  browser = await startBrowser();
  const operator = service.as(await service.operator());
  const { id } = await service.register(GAIA);
  await operator(routes.changeAccount, { params: { id }, body: { labels: ["office"] } });
  for (const name of ["Fabio Monte", "Hanno Pietra", "Carla Nevaio"])
    await service.client(routes.register, {
      body: { email: `${name.split(" ")[0]}@brina.example`, displayName: name, password: PASSWORD },
    });
});
afterAll(async () => {
  await browser.close();
  await app.stop();
  await service.stop();
});

async function signIn(page: Page, name: string): Promise<void> {
  await page.goto(`${app.url}/office`);
  await page.fill("#identifier", name);
  await page.fill("#password", PASSWORD);
  await page.click("button[type=submit]");
  await page.waitForURL(`${app.url}/office`);
}
const rowOf = (page: Page, name: string) => page.locator("tr", { hasText: name });

describe("the office page", () => {
  test("invites, suspends, restores and makes keepers, and shows in place what was refused", async () => {
    const { context, page, complaints } = await openTab(browser);
    await signIn(page, GAIA);
    // The operator's account is not among them.
    expect(await page.locator("tbody tr").count()).toBe(4);
    await page.fill("[name=email]", "ada@brina.example");
    await page.fill("[name=displayName]", "Ada Guest");
    await page.fill("[name=reference]", "M-1042");
    await page.check("[name=keeper]");
    await page.click("text=Send the invitation");
    await page.waitForSelector("text=The invitation is on its way.");
    await rowOf(page, "Ada Guest").locator("text=invited").waitFor();
    expect(await rowOf(page, "Ada Guest").textContent()).toMatch(/M-1042.*No longer keeper/s);
    expect((await mailsTo(service, "ada@brina.example")).map(({ template }) => template)).toEqual(["invite"]);

    await page.fill("[name=email]", "fabio@brina.example");
    await page.fill("[name=displayName]", "Fabio again");
    await page.click("text=Send the invitation");
    await page.waitForSelector("[role=alert]");
    expect(await page.textContent("[role=alert]")).toBe(
      "fabio@brina.example was not invited. There is already an account with this address.",
    );
    expect(await page.inputValue("[name=displayName]")).toBe("Fabio again");

    const token = await service.signIn("hanno@brina.example");
    await rowOf(page, "Hanno Pietra").locator("button", { hasText: "Suspend" }).click();
    await page.waitForSelector("text=every session of theirs has ended");
    await expect(service.as(token)(routes.showSession)).rejects.toMatchObject({
      problem: { code: "not-signed-in" },
    });
    await rowOf(page, "Carla Nevaio").locator("button", { hasText: "Make keeper" }).click();
    await page.waitForSelector("text=Keeps a hut from now on.");
    await keepPicture(page, "the-office");
    await rowOf(page, "Hanno Pietra").locator("button", { hasText: "Restore" }).click();
    await rowOf(page, "Hanno Pietra").locator("text=active").waitFor();
    await service.signIn("hanno@brina.example");

    await page.fill("[name=search]", "M-1042");
    await page.click("text=Look up");
    await page.waitForURL(/search=M-1042/);
    expect(await page.locator("tbody tr").count()).toBe(1);
    expect(await violations(page)).toEqual([]);
    await page.setViewportSize({ width: 320, height: 800 });
    expect(await scrollsSideways(page)).toBe(false);
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("is closed to whoever does not work there, and takes no form of another site", async () => {
    const { context, page } = await openTab(browser);
    await signIn(page, "carla@brina.example");
    expect(await page.textContent("body")).toContain("This page is not for you");
    await context.close();

    const gaia = await openTab(browser);
    await signIn(gaia.page, GAIA);
    const cookies = await gaia.context.cookies(app.url);
    const reply = await fetch(`${app.url}/office`, {
      method: "POST",
      headers: {
        cookie: cookies.map(({ name, value }) => `${name}=${value}`).join("; "),
        origin: "https://evil.test",
        "content-type": "application/x-www-form-urlencoded",
      },
      body: "form=invite&email=evil@evil.test",
    });
    expect(reply.status).toBe(403);
    expect(await mailsTo(service, "evil@evil.test")).toEqual([]);
    await gaia.context.close();
  });

  test("an application's own tests have accounts to work on as well", async () => {
    const { accounts } = testAccounts().lucchetto;
    const { id } = await accounts.invite({ email: "ada@brina.example", labels: ["keeper"] });
    expect(await accounts.find({ search: "ada@" })).toMatchObject({ items: [{ id, state: "invited" }] });
    await accounts.suspend(id);
    await accounts.setLabels(id, []);
    expect(await accounts.setReference(id, "M-1")).toMatchObject({
      state: "suspended",
      labels: [],
      reference: "M-1",
    });
    // Whoever a test signs in is there as well, and suspended is out.
    const test = testAccounts();
    const hasp = createHasp(test.options);
    const visit = { method: "GET", url: "/", headers: test.as({ id: "1", displayName: "Anna" }) };
    expect(await hasp.accounts.find({ search: "anna" })).toMatchObject({ items: [{ id: "1" }] });
    await hasp.accounts.suspend("1");
    expect(await hasp.open(visit)).toBeNull();
    expect(await hasp.lookUp({ ids: ["1"] })).toMatchObject([{ state: "suspended" }]);
    await expect(accounts.restore("nobody")).rejects.toBeInstanceOf(LucchettoRefused);
  });
});
