import { get } from "node:http";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes, SESSION_EVENTS_PATH } from "@lucchetto/contract";
import type { BrowserContext, Page } from "playwright-core";
import type { Browser } from "playwright-core";
import { openTab, startBrowser } from "../../testing/browser.ts";
import { eventually } from "../../testing/eventually.ts";
import type { TestSampleApp } from "../../testing/sample-app.ts";
import { startSampleApp } from "../../testing/sample-app.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, send, startService } from "../../testing/service.ts";
import { inWhole } from "../../testing/whole.ts";

let service: TestService;
let sample: TestSampleApp;
let browser: Browser;
beforeAll(async () => {
  service = await startService();
  await service.register("anna@brina.example");
  sample = await startSampleApp(service);
  browser = await startBrowser();
});
afterAll(async () => {
  await browser.close();
  await sample.stop();
  await service.stop();
});

/** Loads of a page by the browser, to see that none was needed. */
async function tabAt(context: BrowserContext, url: string): Promise<{ page: Page; loads: () => number }> {
  const page = await context.newPage();
  let loads = 0;
  page.on("load", () => (loads += 1));
  await page.goto(url);
  return { page, loads: () => loads };
}
async function signIn(page: Page): Promise<void> {
  await page.fill("#identifier", "anna@brina.example");
  await page.fill("#password", PASSWORD);
  await page.click("button[type=submit]");
  await page.waitForURL((address) => address.href.startsWith(sample.url));
}
const says = (page: Page, text: string) =>
  page.waitForFunction((wanted) => document.body.textContent?.includes(wanted), text);

describe("many tabs", () => {
  test("signing in and out in one tab shows in the others without a reload, here and in the application", async () => {
    const { context, page } = await openTab(browser);
    const app = await tabAt(context, sample.url);
    const own = await tabAt(context, `${service.url}/sign-in`);
    await page.goto(`${sample.url}/sign-in?next=/members`);
    await signIn(page);
    await says(app.page, "anna@brina.example");
    await says(own.page, "You are signed in");
    const account = await tabAt(context, `${service.url}/account`);
    await says(account.page, "This session");
    await page.click("text=Sign out");
    await says(app.page, "guest");
    await says(account.page, "You are signed out");
    expect([app.loads(), own.loads(), account.loads()]).toEqual([1, 1, 1]);
    await context.close();
  });

  test("a session ended elsewhere shows by itself, over one stream a browser", async () => {
    const { context, page } = await openTab(browser);
    const streams: string[] = [];
    context.on("request", (request) => {
      if (/\/(session\/events|hasp-live)$/.test(request.url())) streams.push(new URL(request.url()).origin);
    });
    await page.goto(`${sample.url}/sign-in`);
    await signIn(page);
    const tabs = await Promise.all(
      [`${service.url}/account`, `${service.url}/account`, sample.url, sample.url].map((url) =>
        tabAt(context, url),
      ),
    );
    for (const { page: tab } of tabs) await says(tab, "anna@brina.example");
    const closed = await tabAt(context, `${sample.url}/members`);
    await says(closed.page, "My nights");
    const operator = service.as(await service.operator());
    const { body } = await operator(routes.listSessions, { query: {} });
    for (const { id, endedAt, current } of body.items)
      if (endedAt === null && !current) await operator(routes.endSession, { params: { id } });
    await Promise.all(tabs.slice(0, 2).map(({ page: tab }) => says(tab, "You are signed out")));
    await Promise.all(tabs.slice(2).map(({ page: tab }) => says(tab, "guest")));
    // Who stands on a closed page is led to the sign-in.
    await closed.page.waitForURL((address) => address.href.startsWith(`${service.url}/sign-in`));
    // One for the browser at each of the two, and one more each time that the session changed.
    expect(streams.filter((origin) => origin === service.url).length).toBeLessThanOrEqual(3);
    await context.close();
  });

  inWhole("streams cost one question a second, however many there are", async () => {
    const tokens: string[] = [];
    while (tokens.length < 40) tokens.push(await service.signIn("anna@brina.example"));
    const replies = await Promise.all(
      tokens.map(
        (token) =>
          new Promise<{ end: () => void; said: () => string }>((resolve) => {
            const request = get(
              service.url + SESSION_EVENTS_PATH,
              { headers: { authorization: `Bearer ${token}` } },
              (response) => {
                let text = "";
                response.setEncoding("utf8").on("data", (part: string) => (text += part));
                resolve({ end: () => request.destroy(), said: () => text });
              },
            );
          }),
      ),
    );
    let asked = 0;
    const { dataSource } = service;
    const query = dataSource.query.bind(dataSource);
    dataSource.query = (...parts: Parameters<typeof query>) => {
      if (/FROM session s JOIN account a .* s\.id IN/s.test(String(parts[0]))) asked += 1;
      return query(...parts);
    };
    const began = performance.now();
    const seconds = () => (performance.now() - began) / 1_000;
    await eventually(() => asked >= 3);
    expect(asked).toBeLessThanOrEqual(seconds() + 1);
    await service.as(tokens[0] ?? "")(routes.signOut);
    const ended = () => replies.filter(({ said }) => said().includes("event: ended")).length;
    await eventually(() => ended() === 1);
    const before = asked;
    await eventually(() => asked >= before + 2);
    expect(ended()).toBe(1);
    for (const { end } of replies) end();
    const guest = await send(service, "GET", SESSION_EVENTS_PATH);
    expect(guest.status).toBe(204);
    const foreign = await send(service, "GET", SESSION_EVENTS_PATH, {
      headers: { origin: "https://evil.test" },
    });
    expect(foreign.headers.get("access-control-allow-origin")).toBeNull();
  });
});
