/** The second factor on the pages: set up by QR code, asked for at sign-in and before changes, replaced by a recovery code. */
import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Browser, Page } from "playwright-core";
import { scrollsSideways, violationsOnTheWay } from "../../testing/axe.ts";
import { forgetCookies, openTab, startBrowser } from "../../testing/browser.ts";
import { keepPicture } from "../../testing/pictures.ts";
import { codesOf, enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { mailTo, secretOf } from "../../testing/visitor.ts";

const MINUTE = 60_000;

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

async function showPassword(page: Page, email: string): Promise<void> {
  await page.goto(`${service.url}/sign-in`);
  await page.fill("#identifier", email);
  await page.fill("#password", PASSWORD);
  await page.click("button[type=submit]");
}

const QR_READER = readFileSync(fileURLToPath(import.meta.resolve("jsqr")), "utf8");

/** What a camera would read from the picture on the page. The reader runs in the browser, where the picture is. */
function readQr(page: Page): Promise<string> {
  return page.evaluate(`(async () => {
    const module = { exports: {} };
    const exports = module.exports;
    ${QR_READER}
    const image = document.querySelector("img[alt^='QR code']");
    await image.decode();
    const canvas = document.createElement("canvas");
    canvas.width = canvas.height = 400;
    const drawing = canvas.getContext("2d");
    drawing.drawImage(image, 0, 0, 400, 400);
    return (module.exports.default ?? module.exports)(drawing.getImageData(0, 0, 400, 400).data, 400, 400)?.data ?? "";
  })()`);
}

async function fillCode(page: Page, code: string): Promise<void> {
  await page.fill("#code", code);
  await page.click("button[type=submit]");
}

describe("the second factor", () => {
  test("TO-9 TO-7 TO-15 SE-7 set up by its QR code, asked for at every sign-in; a recovery code stands in for it", async () => {
    const email = "anna@brina.example";
    await service.register(email);
    const { context, page, complaints } = await openTab(browser);
    try {
      await showPassword(page, email);
      await page.click("text=Second factor");
      await page.waitForSelector("text=your password alone is enough");
      await page.click("text=Set up an authenticator app");
      await page.waitForSelector("img[alt^='QR code']");
      expect(await violationsOnTheWay(page)).toEqual([]);
      const uri = await readQr(page);
      expect(uri).toMatch(
        /^otpauth:\/\/totp\/Brina%20Huts:anna%40brina\.example\?secret=[A-Z2-7]+&issuer=Brina%20Huts&/,
      );
      expect(await page.getAttribute("text=Open an app on this device", "href")).toBe(uri);
      await keepPicture(page, "1-set-up-by-a-picture");
      const code = codesOf(service, uri);
      await fillCode(page, code() === "123123" ? "321321" : "123123");
      await page.waitForSelector("#code-error");
      expect(await page.textContent("#code-error")).toContain("not the current code");
      await fillCode(page, `${code().slice(0, 3)} ${code().slice(3)}`);
      await page.waitForSelector("text=Your recovery codes");
      expect(await violationsOnTheWay(page)).toEqual([]);
      await keepPicture(page, "2-the-recovery-codes,-shown-once");
      await page.click("text=End all others");
      await page.waitForSelector("text=One session was ended.");
      const codes = await page.locator("section code").allTextContents();
      expect(codes).toHaveLength(10);
      await page.reload();
      await page.waitForSelector("text=10 left.");
      expect(await page.textContent("main")).not.toContain(codes[0]);
      await page.click("text=Rename");
      await page.fill("#name", "My phone");
      await page.click("text=Save");
      await page.waitForSelector("h2:text('My phone')");
      await keepPicture(page, "3-what-is-set-up");

      await forgetCookies(page);
      await showPassword(page, email);
      await page.waitForSelector("h1 >> text=Enter your code");
      expect(await violationsOnTheWay(page)).toEqual([]);
      // From the beginning of a step its code counts for a whole minute, however slow the pages are.
      await service.clock.advance(30_000 - (service.clock.now().getTime() % 30_000));
      const once = code();
      await fillCode(page, once);
      await page.waitForURL(`${service.url}/account`);

      await forgetCookies(page);
      await showPassword(page, email);
      await fillCode(page, once);
      await page.waitForSelector("#code-error");
      expect(await page.textContent("#code-error")).toContain("already been used");
      await keepPicture(page, "4-asked-for-at-every-sign-in,-each-code-once");
      await service.clock.advance(30_000);
      await fillCode(page, code());
      await page.waitForURL(`${service.url}/account`);

      await forgetCookies(page);
      await showPassword(page, email);
      await page.click("text=Use a recovery code instead");
      await keepPicture(page, "6-a-recovery-code-in-its-place");
      await fillCode(page, (codes[0] ?? "").toUpperCase().replaceAll("-", " "));
      await page.waitForURL(`${service.url}/account`);
      await page.click("text=Second factor");
      await page.waitForSelector("text=9 left.");
      await page.setViewportSize({ width: 320, height: 640 });
      expect(await scrollsSideways(page)).toBe(false);
      expect(complaints.filter((said) => !/401|400/.test(said))).toEqual([]);
    } finally {
      await context.close();
    }
  });

  test("SE-16 a change asks for both proofs in place, and goes on with what the person was doing", async () => {
    const email = "bruno@brina.example";
    const { token } = await service.register(email);
    const app = await enrolAuthenticator(service, token);
    const { context, page } = await openTab(browser);
    try {
      await showPassword(page, email);
      await fillCode(page, await app.nextCode());
      await page.waitForURL(`${service.url}/account`);
      await page.click("text=Keys for scripts");
      await page.fill("#name", "night backup");
      await service.clock.advance(11 * MINUTE);
      await page.click("text=Create key");
      await page.waitForSelector("text=Confirm that it’s you to continue");
      await page.fill("#password", PASSWORD);
      await page.click("button[type=submit]");
      await page.waitForSelector("text=Now your second factor");
      await keepPicture(page, "5-asked-for-before-a-change");
      expect(await violationsOnTheWay(page)).toEqual([]);
      await fillCode(page, app.code());
      await page.waitForSelector("text=“night backup” was created");

      await page.goto(`${service.url}/account/second-factor`);
      await page.click("text=Remove");
      await page.click("button:text-is('Remove')");
      await page.waitForSelector("text=was removed. Its codes no longer work.");
      await page.waitForSelector("text=You have none yet");
    } finally {
      await context.close();
    }
  });

  test("LI-14 after a mailed link the code is asked for in the same tab; five wrong ones end it", async () => {
    const email = "carla@brina.example";
    const { id, token } = await service.register(email);
    const app = await enrolAuthenticator(service, token);
    await service.dataSource.query("UPDATE account SET emailVerifiedAt = createdAt WHERE id = ?", [id]);
    const { context, page } = await openTab(browser);
    try {
      const ask = async () => {
        await page.goto(`${service.url}/sign-in`);
        await page.fill("#identifier", email);
        await page.click("text=Mail me a link instead");
        await page.waitForSelector("text=Check your mail");
      };
      await ask();
      const first = await mailTo(service, email, "sign-in");
      await page.goto(`${service.url}/link#${secretOf(first)}`);
      await page.click("button[type=submit]");
      await page.waitForSelector("h1 >> text=Enter your code");
      expect(await page.textContent("ol")).toContain("link from the mail");
      const right = [app.code(-1), app.code(), app.code(1)];
      const bad = ["000000", "111111", "222222", "333333"].find((code) => !right.includes(code)) ?? "";
      for (let tried = 1; tried <= 5; tried += 1) {
        await fillCode(page, bad);
        await page.waitForFunction(() => document.querySelector<HTMLInputElement>("#code")?.value === "");
      }
      await service.clock.advance(2 * MINUTE);
      await fillCode(page, app.code());
      await page.waitForSelector("text=This sign-in has expired");

      await ask();
      const second = await mailTo(service, email, "sign-in", new Set([first.id]));
      await page.goto(`${service.url}/link#${secretOf(second)}`);
      await page.click("button[type=submit]");
      await page.waitForSelector("h1 >> text=Enter your code");
      await fillCode(page, await app.nextCode());
      await page.waitForURL(`${service.url}/account`);
    } finally {
      await context.close();
    }
  });
});
