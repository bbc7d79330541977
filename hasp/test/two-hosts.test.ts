/** Service and application under host names of their own, over https; and the service under a path behind nginx. */
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { createSampleApp } from "@lucchetto/demo";
import type { Browser, Page } from "playwright-core";
import { openTab, startBrowser } from "../../testing/browser.ts";
import { SITE_NAME, startNginx } from "../../testing/nginx.ts";
import { keepPicture } from "../../testing/pictures.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { startTlsFront } from "../../testing/tls.ts";
import { inWhole } from "../../testing/whole.ts";

const SERVICE_NAME = "accounts.brina.example";
const APP_NAME = "huts.brina.test";

let browser: Browser;
beforeAll(async () => {
  browser = await startBrowser([SERVICE_NAME, APP_NAME, SITE_NAME]);
});
afterAll(() => browser.close());

const portOf = ({ url }: Pick<TestService, "url">) => Number(new URL(url).port);

async function signIn(page: Page, email: string): Promise<void> {
  await page.fill("#identifier", email);
  await page.fill("#password", PASSWORD);
  await page.click("button[type=submit]");
}

describe("two host names, https", () => {
  test("SE-10 SE-11 sign in, return, reauthenticate in place, sign out in both; nothing is shared", async () => {
    const front = await startTlsFront([SERVICE_NAME]);
    const appFront = await startTlsFront([APP_NAME]);
    const publicUrl = `https://${SERVICE_NAME}:${front.port}`;
    const appUrl = `https://${APP_NAME}:${appFront.port}`;
    const service = await startShipped({ publicUrl });
    front.to(portOf(service));
    await service.register("anna@brina.example");
    const operator = service.as(await service.operator());
    const { body: registered } = await operator(routes.addApp, {
      body: {
        name: "Brina Huts",
        redirectUris: [`${appUrl}/signed-in`],
        signedOutUris: [`${appUrl}/signed-out`],
      },
    });
    const appPort = await freePort();
    const app = await createSampleApp({
      service: publicUrl,
      internalAddress: service.url,
      clientId: registered.app.clientId,
      appKey: registered.key,
      returnAddress: `${appUrl}/signed-in`,
      signedOutAddress: `${appUrl}/signed-out`,
    });
    await app.listen({ host: "127.0.0.1", port: appPort });
    appFront.to(appPort);
    const { context, page, complaints } = await openTab(browser, { trustsAll: true });
    try {
      // What each host is sent, as the browser sends it.
      const sent: Array<{ host: string; cookie: string }> = [];
      const addresses: string[] = [];
      page.on("framenavigated", (frame) => void addresses.push(frame.url()));
      page.on("request", (request) => {
        addresses.push(request.url());
        const noted = request.allHeaders().then(
          (headers) => void sent.push({ host: new URL(request.url()).host, cookie: headers["cookie"] ?? "" }),
          // The page went on before it was sent.
          () => undefined,
        );
        void noted;
      });
      await page.goto(`${appUrl}/members`);
      expect(new URL(page.url()).host).toBe(`${SERVICE_NAME}:${front.port}`);
      await signIn(page, "anna@brina.example");
      await page.waitForURL(`${appUrl}/members`);
      expect(await page.textContent("header")).toContain("anna@brina.example");
      await keepPicture(page, "1-two-host-names,-the-application");

      const cookies = await context.cookies();
      expect(new Set(cookies.map(({ name, domain }) => `${domain} ${name}`))).toEqual(
        new Set([
          `${SERVICE_NAME} __Host-lucchetto`,
          `${SERVICE_NAME} __Host-lucchetto-device`,
          `${APP_NAME} __Host-lucchetto-check`,
        ]),
      );
      expect(cookies.every(({ secure, httpOnly, path }) => secure && httpOnly && path === "/")).toBe(true);

      // OA-9: a page that asks for a proof of the last minutes.
      await page.goto(`${appUrl}/cancel-all`);
      expect(await page.textContent("h1")).toBe("Cancel all nights");
      // Production has no clock that can be moved.
      await service.dataSource.query("UPDATE session SET authTime = authTime - INTERVAL 11 MINUTE");
      await page.goto(`${appUrl}/cancel-all`);
      await page.waitForURL(`${publicUrl}/account/reauthenticate?*`);
      expect(await page.textContent("main")).toContain("Brina Huts asks you to confirm before you continue.");
      await page.fill("#password", "not the password");
      await page.click("button[type=submit]");
      await page.waitForSelector("#password-error");
      await keepPicture(page, "2-two-host-names,-a-proof-is-asked-for");
      await page.fill("#password", PASSWORD);
      await page.click("button[type=submit]");
      await page.waitForURL(`${appUrl}/cancel-all`);
      expect(await page.textContent("h1")).toBe("Cancel all nights");

      await page.click("text=Sign out");
      await page.waitForURL(`${appUrl}/`);
      expect(await page.textContent(".message")).toBe("You are signed out.");
      await page.goto(`${publicUrl}/account`);
      await page.waitForURL(`${publicUrl}/sign-in?*`);
      await page.goto(`${appUrl}/members`);
      await page.waitForURL(`${publicUrl}/sign-in?*`);

      expect(sent.length).toBeGreaterThan(10);
      for (const { host, cookie } of sent) {
        const isService = host.startsWith(SERVICE_NAME);
        expect(cookie).not.toMatch(isService ? /lck_/ : /lcs_|lcd_/);
      }
      // SE-11: no address that the browser opened or was sent to holds a token.
      expect(addresses.filter((address) => /lc[skapi]_/.test(address))).toEqual([]);
      expect(service.log()).not.toMatch(/lc[skapi]_[\w-]{43}/);
      expect(complaints).toEqual([]);
    } finally {
      await context.close();
      await app.close();
      await service.stop();
      await front.stop();
      await appFront.stop();
    }
  });
});

describe("a path of one host name, behind nginx", () => {
  inWhole(
    "every page works below the path; the own token never leaves it; signing out closes the site",
    async () => {
      const port = await freePort();
      const site = `https://${SITE_NAME}:${port}`;
      const people = `${site}/people`;
      const service = await startShipped({
        publicUrl: people,
        settings: {
          LUCCHETTO_PROXY_CHECK_CLIENT_ID: "brina-site",
          LUCCHETTO_PROXY_CHECK_PROXIES: '["127.0.0.1"]',
        },
      });
      const nginx = await startNginx({
        port,
        servicePort: portOf(service),
        appPort: await freePort(),
        files: {
          "index.html":
            "<!doctype html><title>Members</title><h1>For members</h1><p>A static file; nginx asks Lucchetto before it sends it.",
        },
      });
      await service.register("anna@brina.example");
      const operator = service.as(await service.operator());
      await operator(routes.addApp, {
        body: { name: "Brina site", clientId: "brina-site", redirectUris: [`${site}/`] },
      });
      const { context, page, complaints } = await openTab(browser, { trustsAll: true });
      try {
        await page.goto(`${site}/?night=3`);
        await page.waitForURL(`${people}/sign-in?*`);
        await page.waitForSelector("form");
        await keepPicture(page, "3-behind-nginx,-the-sign-in-below-a-path");
        await signIn(page, "anna@brina.example");
        await page.waitForURL(`${site}/?night=3`);
        expect(await page.textContent("h1")).toBe("For members");
        await keepPicture(page, "4-behind-nginx,-the-static-site");
        const paths = (await context.cookies()).map(({ name, path }) => `${name} ${path}`).sort();
        expect(paths).toEqual([
          "__Host-lucchetto-proxy /",
          "__Secure-lucchetto /people",
          "__Secure-lucchetto-device /people",
        ]);
        for (const [path, heading] of [
          ["/account", "Your account"],
          ["/account/details", "Name and language"],
          ["/account/password", "Change password"],
          ["/account/email", "Change your address"],
          ["/account/sessions", "Where you are signed in"],
          ["/account/access-keys", "Keys for your scripts"],
          ["/account/erase", "Your data"],
          ["/account/reauthenticate", "Is it still you?"],
          ["/forgot", "Forgotten your password?"],
          ["/docs", "API"],
        ] as const) {
          await page.goto(people + path);
          await page.waitForSelector("h1");
          expect(await page.textContent("h1")).toContain(heading);
          if (path === "/account/sessions") await keepPicture(page, "5-my-sessions");
        }
        // Links lead below the path as well.
        await page.goto(`${people}/account`);
        await page.click("text=All your sessions");
        await page.waitForURL(`${people}/account/sessions`);
        await page.goto(`${people}/sign-out`);
        await page.click("button");
        await page.waitForURL(`${people}/sign-in*`);
        expect((await context.cookies()).map(({ name }) => name)).toEqual(["__Secure-lucchetto-device"]);
        await page.goto(`${site}/`);
        await page.waitForURL(`${people}/sign-in?*`);
        expect(complaints).toEqual([]);
      } finally {
        await context.close();
        await nginx.stop();
        await service.stop();
      }
    },
  );
});
