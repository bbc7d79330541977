/** The ways back of an owner and the help of operators, on the pages, in both languages. */
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { Browser, Page } from "playwright-core";
import { scrollsSideways, violationsOnTheWay } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import { keepPicture } from "../../testing/pictures.ts";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { mailTo, proveAddress, registerProved, secretOf, Visitor } from "../../testing/visitor.ts";

const MINE = "moss on the north side of the hut";
const MINUTE = 60_000;

let service: TestService;
let italian: TestService;
let browser: Browser;
beforeAll(async () => {
  service = await startShipped();
  italian = await startShipped({ settings: { LUCCHETTO_SITE_LANGUAGE: "it" } });
  browser = await startBrowser();
});
afterAll(async () => {
  await browser.close();
  await service.stop();
  await italian.stop();
});

async function somebody(name: string, at = service) {
  const email = `${name}@brina.example`;
  const { id, token } = await registerProved(at, email);
  return { id, email, token };
}

const heading = (page: Page, text: string) => page.waitForSelector(`h1 >> text=${text}`);
async function looksRight(page: Page, picture: string): Promise<void> {
  await keepPicture(page, picture);
  expect(await violationsOnTheWay(page)).toEqual([]);
  expect(await scrollsSideways(page)).toBe(false);
}
async function signIn(page: Page, email: string, at = service): Promise<void> {
  await page.goto(`${at.url}/sign-in`);
  await page.fill("#identifier", email);
  await page.fill("#password", PASSWORD);
  await page.click("button[type=submit]");
}
async function chooseNew(page: Page): Promise<void> {
  for (const name of ["password", "repeated"]) await page.fill(`[name=${name}]`, MINE);
}

describe("taking a change back", () => {
  test("RC-5 the landing of a notice's link asks for one thing from before; by a recovery code the factor comes back", async () => {
    const { email, token } = await somebody("anna");
    const app = await enrolAuthenticator(service, token, {});
    await service.as(app.token)(routes.removeAuthenticator, { params: { id: app.id } });
    const mail = await mailTo(service, email, "second-factor-removed");
    const { context, page, complaints } = await openTab(browser);
    await page.goto(mail.links[0] ?? "");
    await heading(page, "Undo the change of your second factor");
    await page.waitForSelector("text=you also need one thing from before the change");
    await looksRight(page, "1-undo-factor");
    await page.click("button >> text=Undo the change");
    await page.waitForSelector("text=Enter the password you had before the change.");
    await page.click("text=Use a recovery code from before");
    await chooseNew(page);
    await page.fill("#code", "aaaaa-bbbbb-ccccc");
    await page.click("button >> text=Undo the change");
    await page.waitForSelector("text=This is not a code or recovery code from before");
    await looksRight(page, "2-undo-factor-refused");
    await page.fill("#code", app.recoveryCodes[0] ?? "");
    await page.click("button >> text=Undo the change");
    await heading(page, "Your second factor is restored");
    await looksRight(page, "3-undone");
    await page.click("text=Sign in");
    await page.fill("#password", MINE);
    await page.click("button[type=submit]");
    await heading(page, "Enter your code");
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("RC-13 RC-17 whoever took the username and then the address: the first link and the password from before take both back", async () => {
    const email = "anton@brina.example";
    await service.client(routes.register, { body: { email, username: "anton", password: PASSWORD } });
    await proveAddress(service, email);
    const thief = service.as(await service.signIn(email));
    await thief(routes.changeOwnAccount, { body: { username: null } });
    await thief(routes.changeEmail, { body: { email: "anton.thief@brina.example" } });
    const link = secretOf(await mailTo(service, "anton.thief@brina.example", "change-email"));
    await thief(routes.redeemLink, { body: { secret: link } });
    const { context, page, complaints } = await openTab(browser);
    await page.goto((await mailTo(service, email, "username-changed")).links[0] ?? "");
    await heading(page, "Restore your account");
    await page.fill("[name=present]", PASSWORD);
    await chooseNew(page);
    await looksRight(page, "8-two-changes-at-once");
    await page.click("button >> text=Restore my account");
    await heading(page, "Your account is restored");
    await page.click("a >> text=Sign in");
    await page.fill("#identifier", "anton");
    await page.fill("#password", MINE);
    await page.click("button[type=submit]");
    await page.waitForURL("**/account");
    await page.waitForSelector(`text=${email}`);
    expect(complaints).toEqual([]);
    await context.close();
  });

  test("RC-10 the account is closed at once, and the link in the mail keeps it; in Italian", async () => {
    const { email } = await somebody("bruno", italian);
    const { context, page, complaints } = await openTab(browser, { locale: "it-IT", width: 320, dark: true });
    await signIn(page, email, italian);
    await page.waitForURL("**/account");
    await page.goto(`${italian.url}/account/erase`);
    await page.check("[name=isSure]");
    await page.waitForSelector("text=Tra 7 giorni viene cancellato del tutto");
    await looksRight(page, "4-erase-it");
    await page.click("button[type=submit]");
    await heading(page, "Il tuo account è chiuso");
    await page.waitForSelector("text=Tra 7 giorni");
    await signIn(page, email, italian);
    await page.waitForSelector("text=La password è giusta, ma l’account sta per essere cancellato");
    const elsewhere = await openTab(browser, { locale: "it-IT", width: 320 });
    await elsewhere.page.goto((await mailTo(italian, email, "account-closed")).links[0] ?? "");
    await heading(elsewhere.page, "Vuoi tenere l’account?");
    await elsewhere.page.fill("[name=present]", PASSWORD);
    await looksRight(elsewhere.page, "5-keep-it");
    await elsewhere.page.click("button >> text=Tieni il mio account");
    await heading(elsewhere.page, "Il tuo account è stato conservato");
    await signIn(page, email, italian);
    await page.waitForURL("**/account");
    expect([...complaints, ...elsewhere.complaints]).toEqual([]);
    await elsewhere.context.close();
    await context.close();
  });
});

describe("signing in with a mailed proof", () => {
  async function wantsNew(name: string) {
    const one = await somebody(name);
    const office = service.as(await service.operator());
    await office(routes.changeAccount, { params: { id: one.id }, body: { mustChangePassword: true } });
    return one;
  }

  test("RC-6 the page waits for the mail; the code of the link opened elsewhere leads to the new password", async () => {
    const { email } = await wantsNew("carla");
    const { context, page, complaints } = await openTab(browser);
    await signIn(page, email);
    await heading(page, "Check your mail");
    await looksRight(page, "6-check-your-mail");
    const phone = await openTab(browser, { width: 320 });
    await phone.page.goto((await mailTo(service, email, "confirm-sign-in")).links[0] ?? "");
    await heading(phone.page, "Signing in elsewhere?");
    await phone.page.click("button >> text=Show the code");
    await heading(phone.page, "Your code");
    const code = ((await phone.page.textContent("[role=status]")) ?? "").replace(/\s/g, "");
    await page.fill("#code", code === "000000" ? "000001" : "000000");
    await page.click("button[type=submit]");
    await page.waitForSelector("text=That is not the right code");
    await page.fill("#code", code);
    await page.click("button[type=submit]");
    await heading(page, "Choose a new password");
    await chooseNew(page);
    await page.click("button[type=submit]");
    await page.waitForURL("**/account");
    expect([...complaints, ...phone.complaints]).toEqual([]);
    await phone.context.close();
    await context.close();
  });

  test("RC-6 the link opened in the same browser goes on there", async () => {
    const { email } = await wantsNew("dora");
    const { context, page } = await openTab(browser);
    await signIn(page, email);
    await heading(page, "Check your mail");
    const tab = await context.newPage();
    await tab.goto((await mailTo(service, email, "confirm-sign-in")).links[0] ?? "");
    await tab.click("button >> text=Sign in");
    await heading(tab, "Choose a new password");
    await chooseNew(tab);
    await tab.click("button[type=submit]");
    await tab.waitForURL("**/account");
    // The tab that waited is signed in with it.
    await page.waitForURL("**/account");
    await context.close();
  });

  test("RC-6 with no way to prove it, the page says whom to ask", async () => {
    const { id } = await service.register("elio@brina.example");
    const office = service.as(await service.operator());
    await office(routes.changeAccount, { params: { id }, body: { mustChangePassword: true } });
    const { context, page } = await openTab(browser);
    await signIn(page, "elio@brina.example");
    await page.waitForSelector("text=Ask the people who run the site for a first password");
    await context.close();
  });
});

describe("operators in the console", () => {
  test("OP-1 RC-8 removing a second factor wants a reason, and a fresh proof that is asked for in place", async () => {
    const { id, email, token } = await somebody("fausta");
    await enrolAuthenticator(service, token, {});
    await service.operator();
    const { context, page, complaints } = await openTab(browser);
    await signIn(page, "office@brina.example");
    await page.waitForURL("**/account");
    await service.clock.advance(11 * MINUTE);
    await page.goto(`${service.url}/console/accounts/${id}`);
    await page.click("button >> text=Remove the second factor");
    await page.click("button:text-is('Remove')");
    await page.waitForSelector("text=Enter a reason.");
    await page.fill("#reason", "lost the phone, showed his card at the counter");
    await keepPicture(page, "7-remove-factor");
    await page.click("button:text-is('Remove')");
    await page.waitForSelector("text=Is it still you?");
    await looksRight(page, "8-proof-in-place");
    await page.fill("#password", PASSWORD);
    await page.click("dialog >> button >> text=Continue");
    await page.waitForSelector(
      "text=The second factor was removed. The owner and the other operators have been notified.",
    );
    await page.waitForSelector("text=No second factor");
    await looksRight(page, "9-removed");
    expect((await mailTo(service, email, "second-factor-removed")).links[0]).toMatch(/#lcl_/);
    // Closing the question leaves everything as it was.
    await service.clock.advance(11 * MINUTE);
    await page.click("button >> text=Correct the address");
    await page.fill("#email", "fausta.fixed@brina.example");
    await page.fill("#reason", "left the old provider");
    await page.click("button:text-is('Correct')");
    await page.waitForSelector("text=Is it still you?");
    await page.keyboard.press("Escape");
    await page.waitForSelector("text=needs a proof from within the last ten minutes");
    await page.click("button:text-is('Correct')");
    await page.fill("#password", PASSWORD);
    await page.click("dialog >> button >> text=Continue");
    await page.waitForSelector("text=The address was corrected. A mail asks its owner to confirm it.");
    await heading(page, "fausta.fixed@brina.example");
    expect(complaints).toEqual([]);
    await service.clock.reset();
    await context.close();
  });

  test("OP-4 an auditor is told what they are, and a change is refused in place", async () => {
    const { id, email } = await somebody("gino");
    const office = service.as(await service.operator());
    await office(routes.changeAccount, { params: { id }, body: { labels: ["auditor"] } });
    const { context, page, complaints } = await openTab(browser);
    await signIn(page, email);
    await page.waitForURL("**/account");
    await page.goto(`${service.url}/console/mail`);
    await page.waitForSelector("text=You are an auditor");
    await page.waitForSelector("text=Confirm your address");
    await page.goto(`${service.url}/console/accounts/${id}`);
    await page.click("button >> text=Require a new password");
    await page.waitForSelector("text=it sees what operators see, and cannot change anything");
    expect(complaints).toEqual([]);
    await context.close();
  });
});

test("a change of address opened elsewhere shows its code; entered in the session it counts", async () => {
  const { email } = await somebody("hugo");
  const desk = new Visitor(service);
  await desk.post("/v1/sign-in", { proof: { type: "password", identifier: email, password: PASSWORD } });
  await desk.post("/v1/account/email", { email: "hugo.new@brina.example" });
  const link = (await mailTo(service, "hugo.new@brina.example", "change-email")).links[0] ?? "";
  const { context, page } = await openTab(browser);
  await page.goto(link);
  await page.click("button >> text=Show the code");
  await heading(page, "Your code");
  await looksRight(page, "10-code-of-a-change");
  const code = ((await page.textContent("[role=status]")) ?? "").replace(/\s/g, "");
  expect((await desk.post("/v1/account/email/confirm", { code })).status).toBe(200);
  expect(secretOf(await mailTo(service, email, "email-changed"))).toMatch(/^lcl_/);
  await context.close();
});
