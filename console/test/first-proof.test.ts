/** What is named before it goes: at the first proof of an address, at a change of password, and before another username. */
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { Browser, Page } from "playwright-core";
import { scrollsSideways, violationsOnTheWay } from "../../testing/axe.ts";
import { forgetCookies, openTab, startBrowser } from "../../testing/browser.ts";
import { keepPicture } from "../../testing/pictures.ts";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { mailTo, registerProved, secretOf, Visitor } from "../../testing/visitor.ts";

const MINE = "moss on the north side of the hut";

let service: TestService;
let browser: Browser;
beforeAll(async () => {
  service = await startShipped();
  browser = await startBrowser();
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

const heading = (page: Page, text: string) => page.waitForSelector(`h1 >> text=${text}`);
async function looksRight(page: Page, picture: string): Promise<void> {
  await keepPicture(page, picture);
  expect(await violationsOnTheWay(page)).toEqual([]);
  expect(await scrollsSideways(page)).toBe(false);
}
async function chooseNew(page: Page): Promise<void> {
  for (const name of ["password", "repeated"]) await page.fill(`[name=${name}]`, MINE);
}
async function signIn(page: Page, email: string): Promise<void> {
  await page.goto(`${service.url}/sign-in`);
  await page.fill("#identifier", email);
  await page.fill("#password", PASSWORD);
  await page.click("button[type=submit]");
}

/** Somebody whose address nobody has proved, with an authenticator, codes and a key. */
async function unproved(name: string) {
  const email = `${name}@brina.example`;
  const { token } = await service.register(email);
  await service.as(token)(routes.makeAccessKey, { body: { name: "Snow report" } });
  const app = await enrolAuthenticator(service, token, {});
  await service.client(routes.askForLink, { body: { purpose: "reset", identifier: email } });
  return { email, app, link: (await mailTo(service, email, "reset")).links[0] ?? "" };
}

describe("the first proof of an address", () => {
  test("RC-16 elsewhere a reset names what goes; whoever shows a code keeps it, but for what is not theirs", async () => {
    const { email, app, link } = await unproved("amalia");
    const { context, page, complaints } = await openTab(browser);
    await page.goto(link);
    await heading(page, "Choose a new password");
    const goes = await page.textContent("[data-set-up=goes]");
    expect(goes).toContain("Authenticator app");
    expect(goes).toContain("Recovery codes");
    expect(goes).toContain("Snow report");
    await looksRight(page, "1-what-goes-is-named");
    await page.click("text=I set this up: keep it");
    expect(await page.textContent("[data-set-up=goes]")).not.toContain("Authenticator app");
    await page.click("text=Use the authenticator app");
    await page.fill("#code", await app.nextCode());
    await page.check('[name="notMine-recovery-codes"]');
    await looksRight(page, "2-kept-by-a-code");
    await chooseNew(page);
    await page.click("button >> text=Save password");
    await heading(page, "Your new password is saved");
    await page.click("a >> text=Sign in");
    await page.fill("#password", MINE);
    await page.click("button[type=submit]");
    await heading(page, "Enter your code");
    const proof = { type: "password", identifier: email, password: MINE } as const;
    const { body } = await service.client(routes.signIn, { body: { proof } });
    expect(body).toMatchObject({ wanted: ["totp"] });
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("RC-16 confirming elsewhere takes the code of the app as well as the password; what goes is named", async () => {
    const { email, app } = await unproved("amos");
    const { context, page, complaints } = await openTab(browser, { width: 320, dark: true });
    await page.goto((await mailTo(service, email, "verify")).links[0] ?? "");
    await heading(page, "Confirm your address");
    await page.click("text=I don’t know it, or didn’t register");
    expect(await page.textContent("[data-set-up=goes]")).toContain("Authenticator app");
    await looksRight(page, "3-confirming-elsewhere");
    await page.click("text=I registered, and can show something of mine");
    await page.click("text=Use the authenticator app");
    await page.fill("#code", await app.nextCode());
    await page.click("button >> text=Confirm address");
    await heading(page, "Your address is confirmed");
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("RC-16 A19 a code typed in the browser that registered: beside the password from there everything stays", async () => {
    const email = "aldo@brina.example";
    const { context, page, complaints } = await openTab(browser);
    await page.goto(`${service.url}/register`);
    await page.fill("#email", email);
    for (const name of ["password", "repeated"]) await page.fill(`#${name}`, PASSWORD);
    await page.click("button[type=submit]");
    await page.waitForURL("**/account");
    await forgetCookies(page, (name) => name.includes("device"));
    await page.goto(`${service.url}/sign-in`);
    await page.fill("#identifier", email);
    await page.click("text=Mail me a link instead");
    await heading(page, "Check your mail");
    expect(await page.isVisible("[name=password]")).toBe(false);
    const secret = secretOf(await mailTo(service, email, "sign-in"));
    const phone = new Visitor(service);
    const { code } = (await phone.post("/v1/mail-links/redeem", { secret })).json<{ code: string }>();
    await page.fill("#code", code);
    await page.waitForSelector("text=You registered in this browser");
    await page.fill("#password", MINE);
    await page.click("button >> text=Continue");
    await page.waitForSelector("text=This is not the password you registered with");
    await looksRight(page, "7-a-code-beside-the-password-from-there");
    await page.fill("#password", PASSWORD);
    await page.click("button >> text=Continue");
    await page.waitForURL("**/account");
    expect(await service.signIn(email)).toMatch(/^lcs_/);
    expect(complaints).toEqual([]);
    await context.close();
  });
});

describe("one's own account", () => {
  test("A8 a change of password shows the access keys; those of the last days end unless they are kept", async () => {
    const email = "bianca@brina.example";
    const { token } = await registerProved(service, email);
    const own = service.as(token);
    await own(routes.makeAccessKey, { body: { name: "Backup" } });
    await own(routes.makeAccessKey, { body: { name: "Somebody's" } });
    const { context, page, complaints } = await openTab(browser);
    await signIn(page, email);
    await page.waitForURL("**/account");
    await page.goto(`${service.url}/account/password`);
    await page.waitForSelector("text=Your access keys");
    await page.check("text=Keep “Backup”");
    await page.fill("[name=present]", PASSWORD);
    await looksRight(page, "4-keys-at-a-change-of-password");
    await chooseNew(page);
    await page.click("button >> text=Change password");
    await page.waitForSelector("text=One access key was ended.");
    await page.goto(`${service.url}/account/access-keys`);
    await page.waitForSelector("h3 >> text=Backup");
    expect(await page.isVisible("text=Somebody's")).toBe(false);
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("RC-17 before another username the page says what becomes of the old one", async () => {
    const email = "carmen@brina.example";
    await service.client(routes.register, { body: { email, username: "carmen", password: PASSWORD } });
    const { context, page, complaints } = await openTab(browser);
    await signIn(page, email);
    await page.waitForURL("**/account");
    await page.goto(`${service.url}/account/details`);
    await page.fill("[name=username]", "carmencita");
    await page.waitForSelector("text=Your account has no confirmed address");
    await looksRight(page, "5-another-username");
    await page.click("button >> text=Save");
    await page.waitForURL("**/account");
    await page.waitForSelector("text=carmencita");
    expect(complaints).toEqual([]);
    await context.close();
  });
});
