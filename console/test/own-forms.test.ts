import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { createSampleApp, deskLinks } from "@lucchetto/demo";
import { ownForms } from "@lucchetto/hasp/forms";
import type { Browser, Page } from "playwright-core";
import { scrollsSideways, violationsOnTheWay } from "../../testing/axe.ts";
import { openTab, plugIn, startBrowser } from "../../testing/browser.ts";
import { keepPicture } from "../../testing/pictures.ts";
import { registerApp } from "../../testing/sample-app.ts";
import { codesOf, enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, PASSWORD, send } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { mailTo, registerProved } from "../../testing/visitor.ts";
import { enter } from "../../testing/way-in.ts";

let service: TestService;
let browser: Browser;
let url: string;
let appKey: string;
let app: Awaited<ReturnType<typeof createSampleApp>>;
beforeAll(async () => {
  service = await startShipped();
  const port = await freePort();
  url = `http://localhost:${port}`;
  const options = await registerApp(service, port);
  const operator = service.as(await service.operator());
  const [{ id = "" } = {}] = (await operator(routes.listApps, { query: {} })).body.items;
  const linkAddresses = { ...deskLinks(url), invite: `${url}/desk/link` };
  await operator(routes.changeApp, { params: { id }, body: { linkAddresses } });
  ({ appKey } = options);
  app = await createSampleApp({ ...options, forms: { page: "/desk" } });
  await app.listen({ host: "127.0.0.1", port });
  browser = await startBrowser();
});
afterAll(async () => {
  await browser.close();
  await app.close();
  await service.stop();
});

const form = (page: Page, name: string) => page.locator(`form:has(input[value=${name}])`);
async function fillIn(page: Page, name: string, fields: Record<string, string>): Promise<void> {
  for (const [field, text] of Object.entries(fields))
    await form(page, name).locator(`[name=${field}]`).fill(text);
  await form(page, name).locator("button").click();
}
/** Answers of the application to whoever this browser's cookies say it is. */
async function statusOf(page: Page, path: string): Promise<number> {
  return (
    await page.request.get(url + path, { maxRedirects: 0, headers: { accept: "application/json" } })
  ).status();
}

test("WH-4 a guest at a closed page is sent to the application's own form and on to the page; everything closed is open; signing out closes it", async () => {
  const email = "anna@brina.example";
  const { id } = await registerProved(service, email);
  const { context, page, complaints } = await openTab(browser);
  const hosts = new Set<string>();
  page.on("framenavigated", (frame) => hosts.add(new URL(frame.url()).host));
  await page.goto(`${url}/members`);
  await fillIn(page, "sign-in", { identifier: email, password: PASSWORD });
  await page.waitForURL(`${url}/members`);
  await page.waitForSelector("h1 >> text=My nights");
  expect(await statusOf(page, "/api/my-nights")).toBe(200);
  // A label, at once.
  expect(await statusOf(page, "/keepers")).toBe(403);
  const operator = service.as(await service.operator());
  await operator(routes.changeAccount, { params: { id }, body: { labels: ["keeper"] } });
  expect(await statusOf(page, "/keepers")).toBe(200);
  // Nothing that the browser holds is more than a check token.
  expect(JSON.stringify(await context.cookies())).not.toMatch(/lc[sip]_/);
  // Open pages hear of the end, as with any other session.
  const other = await context.newPage();
  await other.goto(`${url}/desk`);
  await other.waitForSelector("text=Leave the desk");
  await other.click("text=Leave the desk");
  await other.waitForSelector("text=You are signed out.");
  await page.waitForSelector("header >> text=Sign in");
  expect(await statusOf(page, "/api/my-nights")).toBe(401);
  const { items } = (await operator(routes.listSessions, { query: { accountId: id } })).body;
  expect(items.find(({ appName }) => appName === "Brina Huts")?.endReason).toBe("signed-out");
  expect([...hosts]).toEqual([new URL(url).host]);
  expect(complaints).toEqual([]);
  await context.close();
});

test("WH-4 a second factor is set up at the desk where a page wants one, and asked for at the next sign-in; freshness too", async () => {
  const email = "bruno@brina.example";
  await registerProved(service, email);
  const { context, page, complaints } = await openTab(browser, { width: 390 });
  await page.goto(`${url}/key-box`);
  await fillIn(page, "sign-in", { identifier: email, password: PASSWORD });
  await page.waitForSelector("text=The page wants a second factor");
  await keepPicture(page, "desk-lacks-a-level");
  await form(page, "authenticator").locator("button").click();
  await page.waitForSelector("img.code");
  await keepPicture(page, "desk-authenticator");
  expect(await violationsOnTheWay(page)).toEqual([]);
  expect(await scrollsSideways(page)).toBe(false);
  const secret = (await page.textContent("p > code")) ?? "";
  await service.clock.refresh();
  const code = codesOf(service, `otpauth://totp/x?secret=${secret.replaceAll(" ", "")}`);
  await fillIn(page, "enrolled", { code: code() });
  await page.waitForSelector("h1 >> text=The key box");

  await service.clock.advance(11 * 60_000);
  await page.goto(`${url}/cancel-all`);
  await page.waitForSelector("text=The page wants a proof of the last minutes");
  await fillIn(page, "prove", { password: "not the password" });
  await page.waitForSelector("[role=alert]");
  await fillIn(page, "prove", { password: PASSWORD });
  await page.waitForSelector("text=one more proof");
  await fillIn(page, "prove-code", { code: code() });
  await page.waitForSelector("h1 >> text=Cancel all nights");
  expect(complaints.filter((one) => !one.includes("401"))).toEqual([]);
  await context.close();
});

test("WH-4 a passkey is added at the desk, signs in there, and proves it anew", async () => {
  const email = "emma@brina.example";
  await registerProved(service, email);
  const { context, page, complaints } = await openTab(browser);
  const hosts = new Set<string>();
  page.on("framenavigated", (frame) => hosts.add(new URL(frame.url()).host));
  await plugIn(page);
  await page.goto(`${url}/desk`);
  await fillIn(page, "sign-in", { identifier: email, password: PASSWORD });
  await page.waitForSelector("text=Leave the desk");
  await page.click("text=Add a passkey");
  await page.waitForSelector("text=From now on the passkey signs you in.");
  expect(await page.locator("main li code").count()).toBe(10);
  await page.click("text=Back to the desk");
  await page.click("text=Leave the desk");
  await page.waitForSelector("text=You are signed out.");
  // By itself it is two factors: the page that wants level 2 opens.
  await page.goto(`${url}/key-box`);
  await keepPicture(page, "desk-for-guests");
  expect(await violationsOnTheWay(page)).toEqual([]);
  await page.click("text=Use a passkey");
  await page.waitForSelector("h1 >> text=The key box");
  await service.clock.advance(11 * 60_000);
  await page.goto(`${url}/cancel-all`);
  await page.waitForSelector("text=The page wants a proof of the last minutes");
  await page.click("text=Use a passkey");
  await page.waitForSelector("h1 >> text=Cancel all nights");
  // Beside the password it is asked for.
  await page.goto(`${url}/desk`);
  await page.click("text=Leave the desk");
  await page.waitForSelector("text=You are signed out.");
  await page.goto(`${url}/desk`);
  await fillIn(page, "sign-in", { identifier: email, password: PASSWORD });
  await page.waitForSelector("text=one more proof");
  await page.click("text=Use a passkey");
  await page.waitForSelector("text=Leave the desk");
  expect([...hosts]).toEqual([new URL(url).host]);
  expect(complaints.filter((one) => !/40[01]/.test(one))).toEqual([]);
  await context.close();
});

test("WH-4 an invitation is accepted, an address changed and the change undone in the application's own pages", async () => {
  const email = "fabio@brina.example";
  await app.hasp.accounts.invite({ email, displayName: "Fabio", page: "/members?week=3" });
  const { context, page, complaints } = await openTab(browser);
  const hosts = new Set<string>();
  page.on("framenavigated", (frame) => hosts.add(new URL(frame.url()).host));
  const [invitation = ""] = (await mailTo(service, email, "invite")).links;
  expect(invitation.startsWith(`${url}/desk/link#lcl_`)).toBe(true);
  await page.goto(invitation);
  await page.waitForSelector("h2 >> text=Accept the invitation");
  await page.fill("[name=password]", PASSWORD);
  await page.click("text=Go on");
  await page.waitForSelector("text=Welcome. Sign in with your new password.");
  // By links alone to the page that the invitation named.
  await page.click("text=Go on");
  await fillIn(page, "sign-in", { identifier: email, password: PASSWORD });
  await page.waitForURL(`${url}/members?week=3`);
  await page.goto(`${url}/desk`);

  await fillIn(page, "email", { email: "fabio.neve@brina.example" });
  await page.waitForSelector("text=A mail with a link is on its way to the new address.");
  await page.goto((await mailTo(service, "fabio.neve@brina.example", "change-email")).links[0] ?? "");
  await page.waitForSelector("h2 >> text=Take the new address");
  await page.click("text=Go on");
  await page.waitForSelector("text=Your new address is in use.");
  const undo =
    (await mailTo(service, email, "email-changed")).links.find((one) => one.includes("lcl_")) ?? "";
  expect(undo.startsWith(`${url}/desk/link#lcl_`)).toBe(true);
  await page.goto(undo);
  await page.waitForSelector("h2 >> text=Undo the change");
  await keepPicture(page, "desk-undo");
  await page.fill("[name=password]", "gentians by the spring");
  await page.click("text=Go on");
  await page.waitForSelector("text=Your account is as it was before.");
  await page.goto(`${url}/desk`);
  await fillIn(page, "sign-in", { identifier: email, password: "gentians by the spring" });
  await page.waitForSelector("text=Leave the desk");
  expect([...hosts]).toEqual([new URL(url).host]);
  expect(complaints.filter((one) => !/40[01]/.test(one))).toEqual([]);
  await context.close();
});

test("WH-4 by a mailed link, in this browser and by a code from another; then the rest of the account, to its end", async () => {
  const email = "greta@brina.example";
  const { token, id } = await registerProved(service, email);
  const { context, page, complaints } = await openTab(browser);
  const hosts = new Set<string>();
  page.on("framenavigated", (frame) => hosts.add(new URL(frame.url()).host));
  const askByMail = async () => {
    await page.goto(`${url}/desk`);
    await fillIn(page, "by-mail", { identifier: email });
    await page.waitForSelector("text=A mail is on its way.");
    return (await mailTo(service, email, "sign-in")).links[0] ?? "";
  };
  await page.goto(await askByMail());
  await page.waitForSelector("h2 >> text=Sign in");
  await page.click("text=Go on");
  await page.waitForSelector("text=Leave the desk");
  await page.click("text=Leave the desk");
  await page.waitForSelector("text=You are signed out.");

  const link = await askByMail();
  const elsewhere = await openTab(browser);
  await elsewhere.page.goto(link);
  await elsewhere.page.click("text=Go on");
  const said = await elsewhere.page.textContent("[role=status]");
  await elsewhere.context.close();
  await fillIn(page, "mail-code", { code: /\d{6}/.exec(said ?? "")?.[0] ?? "" });
  await page.waitForSelector("text=Leave the desk");

  await page.goto(`${url}/desk/account`);
  await fillIn(page, "profile", { displayName: "Greta Ghiacciai" });
  await page.waitForSelector("header >> text=Greta Ghiacciai");
  await fillIn(page, "end-others", {});
  await page.waitForSelector("text=/^[1-9] other sessions have ended/");
  await expect(service.as(token)(routes.showSession)).rejects.toMatchObject({
    problem: { code: "not-signed-in" },
  });
  await fillIn(page, "make-key", { name: "hut scale" });
  await page.waitForSelector("text=The key, shown this once");
  const key = (await page.textContent("[role=status] code")) ?? "";
  const asScript = () =>
    send({ url }, "GET", "/api/my-nights", { headers: { authorization: `Bearer ${key}` } });
  expect((await asScript()).status).toBe(200);
  await keepPicture(page, "desk-account");
  expect(await violationsOnTheWay(page)).toEqual([]);
  await fillIn(page, "remove-key", {});
  await page.waitForSelector("text=The key is worth nothing any more.");
  expect((await asScript()).status).toBe(401);
  const loading = page.waitForEvent("download");
  await fillIn(page, "data", {});
  expect((await loading).suggestedFilename()).toBe("account.json");

  // The end wants a fresh proof, and gets it at the desk.
  await service.clock.advance(11 * 60_000);
  await page.goto(`${url}/desk/account`);
  await fillIn(page, "erase", {});
  await page.waitForSelector("text=The page wants a proof of the last minutes");
  await fillIn(page, "prove", { password: PASSWORD });
  await page.waitForURL(`${url}/desk/account`);
  await fillIn(page, "erase", {});
  await page.waitForURL(`${url}/`);
  // The browser holds nothing any more by which it was known.
  expect((await context.cookies()).map(({ name }) => name).filter((one) => /form|check/.test(one))).toEqual(
    [],
  );
  expect(await statusOf(page, "/api/my-nights")).toBe(401);
  const operator = service.as(await service.operator());
  expect((await operator(routes.showAccountDetail, { params: { id } })).body.account.state).not.toBe(
    "active",
  );
  expect([...hosts]).toEqual([new URL(url).host]);
  expect(complaints.filter((one) => !/40[01]/.test(one))).toEqual([]);
  await context.close();
});

test("WH-4 a session of Lucchetto's pages changes nothing at the desk, which says so; odd forms are no faults", async () => {
  const { token } = await registerProved(service, "ivo@brina.example");
  const { context, page, complaints } = await openTab(browser);
  const [name = "", ...value] = (
    await enter(service, { url, token, path: "/members", from: "/sign-in?next=%2Fmembers" })
  ).split("=");
  await context.addCookies([{ name, value: value.join("="), url }]);
  await page.goto(`${url}/desk/account`);
  await page.waitForSelector("text=You did not sign in at the desk.");
  await keepPicture(page, "desk-begun-elsewhere");
  await page.goto(`${url}/desk`);
  await fillIn(page, "email", { email: "ivo.new@brina.example" });
  await page.waitForSelector("text=You did not sign in at the desk.");
  for (const odd of ["constructor", "__proto__", ""])
    for (const path of ["/desk", "/desk/account", "/desk/link/use"]) {
      const reply = await page.request.post(url + path, { headers: { origin: url }, form: { form: odd } });
      expect([odd, path, reply.status()]).toEqual([odd, path, expect.any(Number)]);
      expect(reply.status()).toBeLessThan(500);
    }
  expect(complaints.filter((one) => !/40[01]/.test(one))).toEqual([]);
  await context.close();
});

test("WH-4 attacks: another app's key, a session of our own pages, a forged handle, a foreign page, a session put into the browser before", async () => {
  const { token } = await registerProved(service, "carla@brina.example");
  await enrolAuthenticator(service, (await service.register("carlo@brina.example")).token);
  // A session begun elsewhere gives no app a check token, whoever holds its own token.
  await expect(service.as(token)(routes.makeCheckToken)).rejects.toMatchObject({
    problem: { code: "own-forms-needed" },
  });
  const guest = await send({ url }, "GET", "/api/my-nights", {
    headers: { cookie: `lucchetto-form-${new URL(url).port}=${"a".repeat(43)}` },
  });
  expect(guest.status).toBe(401);

  const { context, page } = await openTab(browser);
  // Whoever put a handle into the browser learns nothing of who signs in there afterwards.
  const planted = "p".repeat(43);
  await context.addCookies([{ name: `lucchetto-form-${new URL(url).port}`, value: planted, url }]);
  await page.goto(`${url}/desk`);
  await fillIn(page, "sign-in", { identifier: "carla@brina.example", password: PASSWORD });
  await page.waitForSelector("text=Leave the desk");
  const handle = (await context.cookies()).find(({ name }) => name.startsWith("lucchetto-form-"))?.value;
  expect(handle).not.toBe(planted);
  const foreign = await page.request.post(`${url}/desk`, {
    headers: { origin: "https://evil.test" },
    form: { form: "password", password: PASSWORD, newPassword: "taken over by a page" },
  });
  expect(foreign.status()).toBe(403);
  await context.close();
});

test("WH-4 mailed links that were asked for at the desk lead to its own page, the secret in the fragment; those of operators, and others, to ours", async () => {
  const email = "dario@brina.example";
  await registerProved(service, email);
  const { context, page, complaints } = await openTab(browser);
  const hosts = new Set<string>();
  page.on("framenavigated", (frame) => hosts.add(new URL(frame.url()).host));
  const sent: string[] = [];
  page.on("request", (request) => sent.push(request.url()));
  await page.goto(`${url}/keepers?all=1`);
  await fillIn(page, "forgotten", { identifier: email });
  await page.waitForSelector("text=a mail with a link is on its way");
  const [link = ""] = (await mailTo(service, email, "reset")).links;
  expect(link.startsWith(`${url}/desk/link#lcl_`)).toBe(true);
  await page.goto(link);
  await page.waitForSelector("h2 >> text=Choose a new password");
  await keepPicture(page, "desk-link");
  expect(await violationsOnTheWay(page)).toEqual([]);
  await page.fill("[name=password]", "larch cones under the snow");
  await page.click("text=Go on");
  await page.waitForSelector("text=Your new password is saved");
  const onwards = await page.getAttribute("main a", "href");
  // No address that a server logs ever had the secret.
  expect(sent.filter((one) => one.includes("lcl_") && !one.includes("#"))).toEqual([]);
  // On another device it leads to the page that was wanted, too.
  await context.clearCookies();
  await page.goto(onwards ?? "");
  await fillIn(page, "sign-in", { identifier: email, password: "larch cones under the snow" });
  await page.waitForURL(`${url}/keepers?all=1`);
  expect([...hosts]).toEqual([new URL(url).host]);
  // Used again it says so.
  await page.goto(link);
  await page.waitForSelector("text=This link has already been used.");
  expect(complaints.filter((one) => !/4\d\d/.test(one))).toEqual([]);
  await context.close();

  const { body: office } = await service.as(await service.operator())(routes.showSession);
  const boss = office.account.email ?? "";
  const visitor = ownForms({ service: service.url, appKey }).before({ address: "203.0.113.9" });
  await visitor.call(routes.askForLink, { body: { purpose: "reset", identifier: boss } });
  expect((await mailTo(service, boss, "reset")).links[0]).toMatch(`${service.url}/link#lcl_`);
  // Asked for at our own page.
  await service.client(routes.askForLink, { body: { purpose: "reset", identifier: "anna@brina.example" } });
  expect((await mailTo(service, "anna@brina.example", "reset")).links[0]).toMatch(`${service.url}/link#lcl_`);
});
