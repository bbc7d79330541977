/** Pages of the ways in: access keys, the desk's own forms, and the site's own look. */
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { createSampleApp } from "@lucchetto/demo";
import type { Browser, Page } from "playwright-core";
import { violationsOnTheWay } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import { keepPicture } from "../../testing/pictures.ts";
import { registerApp } from "../../testing/sample-app.ts";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, PASSWORD, send } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

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

async function signIn(page: Page, at: TestService, email: string): Promise<void> {
  await page.goto(`${at.url}/sign-in`);
  await page.fill("#identifier", email);
  await page.fill("#password", PASSWORD);
  await page.click("button[type=submit]");
  await page.waitForURL(`${at.url}/account`);
}

describe("access keys", () => {
  test("made after a proof in place, used by a script against the application, deleted; all by the page", async () => {
    const { id } = await service.register("keeper@brina.example");
    await service.as(await service.operator())(routes.changeAccount, {
      params: { id },
      body: { labels: ["keeper", "warden"] },
    });
    const port = await freePort();
    const app = await createSampleApp(await registerApp(service, port, "Hut book"));
    await app.listen({ host: "127.0.0.1", port });
    const { context, page, complaints } = await openTab(browser);
    try {
      await signIn(page, service, "keeper@brina.example");
      await page.click("text=Keys for scripts");
      await page.waitForSelector("text=You have no keys yet.");
      await page.click("button[type=submit]");
      expect(await page.textContent("#name-error")).toContain("Say what the key is for.");
      await service.clock.advance(11 * 60_000);
      await page.fill("#name", "night backup");
      await page.check("text=only these:");
      await page.check('label:has-text("keeper") >> input[name=labels]');
      await page.click("text=Create key");
      await page.waitForSelector("text=Confirm that it’s you to continue");
      await keepPicture(page, "6-reauthentication-in-place");
      await page.fill("#password", PASSWORD);
      await page.click("button[type=submit]");
      await page.waitForSelector("text=“night backup” was created");
      await keepPicture(page, "7-an-access-key,-shown-once");
      expect(await violationsOnTheWay(page)).toEqual([]);
      const key = (await page.locator("code", { hasText: "lca_" }).first().textContent()) ?? "";
      expect(key).toMatch(/^lca_[\w-]{43}$/);

      const ask = (path: string) =>
        send({ url: `http://localhost:${port}` }, "GET", path, {
          headers: { authorization: `Bearer ${key}` },
        });
      expect((await ask("/api/ledger")).status).toBe(200);
      expect((await ask("/api/my-nights")).json()).toMatchObject({ account: id });
      await page.reload();
      await page.waitForSelector("h3");
      expect(await page.textContent("ul")).toMatch(/night backup.*last used.*labels: keeper/s);
      expect(await page.textContent("main")).not.toContain(key);
      await page.click("text=Delete");
      await page.waitForSelector("text=was deleted and no longer works.");
      expect((await ask("/api/ledger")).status).toBe(401);
      expect(complaints).toEqual([]);
    } finally {
      await context.close();
      await app.close();
    }
  });
});

describe("OA-11 the desk, which has forms of its own", () => {
  test("signs in, registers and signs out without leaving the application; wrong tries are told at the form", async () => {
    await service.register("petra@brina.example");
    const port = await freePort();
    const operator = service.as(await service.operator());
    const options = await registerApp(service, port, "The desk");
    const app = await createSampleApp(options);
    await app.listen({ host: "127.0.0.1", port });
    const { context, page, complaints } = await openTab(browser);
    try {
      const visited = new Set<string>();
      page.on("framenavigated", (frame) => visited.add(new URL(frame.url()).host));
      await page.goto(`http://localhost:${port}/desk`);
      const field = (form: string, name: string) =>
        page.locator(`form:has(input[value=${form}]) input[name=${name}]`);
      await field("sign-in", "identifier").fill("petra@brina.example");
      await field("sign-in", "password").fill("not the password");
      await page.click("text=Sign in at the desk");
      expect(await page.textContent("[role=alert]")).toContain("name or the password is wrong");
      await keepPicture(page, "8-forms-of-the-application's-own");
      expect(await field("sign-in", "identifier").inputValue()).toBe("petra@brina.example");
      await field("sign-in", "password").fill(PASSWORD);
      await page.click("text=Sign in at the desk");
      await page.waitForSelector("text=Leave the desk");

      const { body } = await operator(routes.listSessions, { query: { limit: 1 } });
      expect(body.items[0]).toMatchObject({ appName: "The desk", accountName: "petra@brina.example" });
      expect(body.items[0]?.userAgent).toContain("Chrome");
      await page.click("text=Leave the desk");
      await page.waitForSelector("text=You are signed out.");
      await page.goto(`http://localhost:${port}/desk`);

      await field("register", "identifier").fill("petra@brina.example");
      await field("register", "password").fill(PASSWORD);
      await page.click("text=Register at the desk");
      expect(await page.textContent("[role=alert]")).toMatch(/account/);
      await field("register", "identifier").fill("new.petra@brina.example");
      await field("register", "displayName").fill("Petra <b>Nova</b>");
      await field("register", "password").fill(PASSWORD);
      await page.click("text=Register at the desk");
      await page.waitForSelector("main >> text=Petra <b>Nova</b>");
      // The session ends elsewhere: the desk shows its forms again.
      const [newest] = (await operator(routes.listSessions, { query: { limit: 1 } })).body.items;
      await operator(routes.endSession, { params: { id: newest?.id ?? "" } });
      await page.reload();
      await page.waitForSelector("text=Sign in at the desk");

      // An account with a second factor: the desk has a form for the code as well.
      const { token } = await service.register("quinta@brina.example");
      const phone = await enrolAuthenticator(service, token);
      await field("sign-in", "identifier").fill("quinta@brina.example");
      await field("sign-in", "password").fill(PASSWORD);
      await page.click("text=Sign in at the desk");
      await page.fill("input[name=code]", "aaaaa-bbbbb-ccccc");
      await page.click("text=Go on");
      expect(await page.textContent("[role=alert]")).toContain("not one of your remaining recovery codes");
      await page.fill("input[name=code]", await phone.nextCode());
      await page.click("text=Go on");
      await page.waitForSelector("text=Leave the desk");
      const [strong] = (await operator(routes.listSessions, { query: { limit: 1 } })).body.items;
      expect(strong).toMatchObject({ accountName: "quinta@brina.example", aal: 2 });
      expect([...visited]).toEqual([`localhost:${port}`]);
      const names = (await context.cookies()).map(({ name }) => name).sort();
      expect(names).toEqual([
        `lucchetto-check-${port}`,
        `lucchetto-device-${port}`,
        `lucchetto-form-${port}`,
      ]);
      // Nothing in the browser is an own token, or one of a sign-in in progress.
      expect(JSON.stringify(await context.cookies())).not.toMatch(/lc[si]_/);
      expect(complaints).toEqual([]);
      // A form of another site signs nobody in.
      const foreign = await send({ url: `http://localhost:${port}` }, "POST", "/desk", {
        headers: { origin: "https://evil.test", "content-type": "application/x-www-form-urlencoded" },
        body: "form=sign-in&identifier=petra@brina.example&password=x",
      });
      expect(foreign.status).toBe(403);
    } finally {
      await context.close();
      await app.close();
    }
  });
});

describe("the site's own look", () => {
  test("name, colour, picture and stylesheet are on the people's pages, in both modes; the console stays as it is", async () => {
    const folder = mkdtempSync(join(tmpdir(), "lucchetto-look-"));
    const pixel =
      "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==";
    writeFileSync(join(folder, "logo.png"), Buffer.from(pixel, "base64"));
    writeFileSync(join(folder, "site.css"), "h1 { letter-spacing: 3px; }\n");
    const site = await startShipped({
      beside: service,
      settings: {
        LUCCHETTO_SITE_NAME: "Rifugi <Brina>",
        LUCCHETTO_SITE_COLOUR: "#114477",
        LUCCHETTO_SITE_LOGO: join(folder, "logo.png"),
        LUCCHETTO_SITE_STYLESHEET: join(folder, "site.css"),
      },
    });
    const light = await openTab(browser);
    const dark = await openTab(browser, { dark: true });
    const spacing = (page: Page) =>
      page.evaluate(() => getComputedStyle(document.querySelector("h1") as Element).letterSpacing);
    const button = (page: Page) =>
      page.evaluate(
        () => getComputedStyle(document.querySelector("button[type=submit]") as Element).backgroundColor,
      );
    try {
      for (const [{ page, complaints }, colour] of [
        [light, "rgb(17, 68, 119)"],
        [dark, "rgb(124, 152, 180)"],
      ] as const) {
        await page.goto(`${site.url}/sign-in`);
        await page.waitForSelector("form");
        expect(await page.textContent("header")).toContain("Rifugi <Brina>");
        expect(await button(page)).toBe(colour);
        expect(await spacing(page)).toBe("3px");
        expect(
          await page.evaluate(() => (document.querySelector("header img") as HTMLImageElement).naturalWidth),
        ).toBe(1);
        expect(await violationsOnTheWay(page)).toEqual([]);
        expect(complaints).toEqual([]);
        await keepPicture(page, `9-the-site's-own-look,-${page === light.page ? "light" : "dark"}`);
      }
      await site.operator();
      await signIn(light.page, site, "office@brina.example");
      await light.page.goto(`${site.url}/console/apps`);
      await light.page.waitForSelector("td");
      await keepPicture(light.page, "a-apps,-and-what-each-asked");
      expect(await spacing(light.page)).not.toBe("3px");
    } finally {
      await light.context.close();
      await dark.context.close();
      await site.stop();
      rmSync(folder, { recursive: true });
    }
  });
});
