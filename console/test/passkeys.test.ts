/** Passkeys on the pages, with real ones of the browser's own. */
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Browser, Page } from "playwright-core";
import { scrollsSideways, violationsOnTheWay } from "../../testing/axe.ts";
import { forgetCookies, openTab, plugIn, startBrowser } from "../../testing/browser.ts";
import { keepPicture } from "../../testing/pictures.ts";
import { codesOf } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { mailTo, proveAddress } from "../../testing/visitor.ts";

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

const button = (page: Page, text: string) => page.click(`button:text-is("${text}")`);

async function signInByPassword(page: Page, email: string): Promise<void> {
  await page.goto(`${service.url}/sign-in`);
  await page.fill("#identifier", email);
  await page.fill("#password", PASSWORD);
  await button(page, "Sign in");
}

/** Somebody with a passkey of this browser's authenticator, signed in. */
async function withPasskey(page: Page, name: string): Promise<string> {
  const email = `${name}@brina.example`;
  await service.register(email);
  await signInByPassword(page, email);
  await page.waitForURL(`${service.url}/account`);
  await page.click("text=Passkeys");
  await page.waitForSelector("text=You have no passkey yet.");
  await button(page, "Add a passkey");
  await page.waitForSelector("text=Your recovery codes");
  return email;
}

describe("passkeys in the browser", () => {
  test("added, used alone and by name, renamed and removed", async () => {
    const { context, page, complaints } = await openTab(browser);
    try {
      const authenticator = await plugIn(page);
      const email = await withPasskey(page, "anna");
      expect(await page.locator("section code").count()).toBe(10);
      expect(await violationsOnTheWay(page)).toEqual([]);
      await keepPicture(page, "1-added-with-recovery-codes");
      await page.reload();
      await page.waitForSelector("h2:text('Synced passkey')");
      expect(await page.textContent("main")).toContain("backed up");
      await page.click("text=Rename");
      await page.fill("#name", "My laptop");
      await page.click("text=Save");
      await page.waitForSelector("h2:text('My laptop')");
      // What the browser's own list of passkeys says follows the account.
      await page.goto(`${service.url}/account/details`);
      await page.fill("#displayName", "Anna Bruni");
      await button(page, "Save");
      await page.waitForURL(`${service.url}/account`);
      const [kept] = await authenticator.credentials();
      expect(kept).toMatchObject({ userName: email, userDisplayName: "Anna Bruni" });
      await page.goto(`${service.url}/account/passkeys`);
      await page.waitForSelector("h2:text('My laptop')");
      expect(await violationsOnTheWay(page)).toEqual([]);
      await keepPicture(page, "2-the-list");
      expect((await mailTo(service, email, "unproved-change")).subject).toBeDefined();

      // From what the browser fills in for the name: taken at once, nothing is typed or pressed.
      await forgetCookies(page);
      await page.goto(`${service.url}/sign-in`);
      await page.waitForURL(`${service.url}/account`);
      // In a browser that offers nothing while one types, by the button.
      await page.addInitScript("PublicKeyCredential.isConditionalMediationAvailable = async () => false");
      for (const name of ["", email]) {
        await forgetCookies(page);
        await page.goto(`${service.url}/sign-in`);
        await page.fill("#identifier", name);
        if (name === "") await keepPicture(page, "3-signing-in");
        await button(page, "Sign in with a passkey");
        await page.waitForURL(`${service.url}/account`);
      }
      const [credential] = await authenticator.credentials();
      expect(credential?.isResidentCredential).toBe(true);

      await page.goto(`${service.url}/account/passkeys`);
      await page.click("text=Remove");
      await page.waitForSelector("text=Remove “My laptop”?");
      expect(await violationsOnTheWay(page)).toEqual([]);
      await button(page, "Keep it");
      await page.click("text=Remove");
      await button(page, "Remove");
      await page.waitForSelector("text=You have no passkey yet.");
      expect(await authenticator.credentials()).toEqual([]);
      await forgetCookies(page);
      await page.goto(`${service.url}/sign-in`);
      await page.fill("#identifier", email);
      await button(page, "Sign in with a passkey");
      await page.waitForSelector("[data-form-problem]");
      await keepPicture(page, "4-one-that-is-not-known");
      expect(complaints).toEqual([]);
    } finally {
      await context.close();
    }
  });

  test("as the second step after a password: presence of a key is enough; cancelling says what to do", async () => {
    const { context, page } = await openTab(browser);
    try {
      const key = await plugIn(page, { kind: "key" });
      const email = await withPasskey(page, "bruno");
      await page.reload();
      await page.waitForSelector("h2:text('Security key')");
      expect(await page.textContent("main")).toContain("no backup");
      await forgetCookies(page);
      await signInByPassword(page, email);
      await page.waitForSelector("text=Your device asks for");
      expect(await violationsOnTheWay(page)).toEqual([]);
      await keepPicture(page, "5-the-second-step");
      await button(page, "Use your passkey");
      await page.waitForURL(`${service.url}/account`);
      // Alone it would have to verify who holds it, which this one cannot.
      await forgetCookies(page);
      await page.goto(`${service.url}/sign-in`);
      await page.fill("#identifier", email);
      await button(page, "Sign in with a passkey");
      await page.waitForSelector("[data-form-problem]");
      expect(await page.textContent("[data-form-problem]")).toContain("No passkey was used.");
      await keepPicture(page, "6-cancelled");
      expect(await key.credentials()).toHaveLength(1);
    } finally {
      await context.close();
    }
  });

  test("U2F keys serve as the second step, and two authenticators beside each other", async () => {
    const { context, page } = await openTab(browser);
    try {
      const u2f = await plugIn(page, { kind: "u2f" });
      const email = await withPasskey(page, "carla");
      expect((await u2f.credentials())[0]?.isResidentCredential).toBe(false);
      // Asked among several, one that holds a passkey of the account already would answer first.
      await u2f.remove();
      const device = await plugIn(page);
      await button(page, "Add another passkey");
      await page.waitForSelector("text=“Synced passkey” was added.");
      expect(await device.credentials()).toHaveLength(1);
      await forgetCookies(page);
      await page.goto(`${service.url}/sign-in`);
      await page.waitForURL(`${service.url}/account`);
      await page.goto(`${service.url}/account/passkeys`);
      // It holds one already.
      await button(page, "Add another passkey");
      await page.waitForSelector("[data-form-problem]");
      expect(await page.textContent("[data-form-problem]")).toContain(
        "already has a passkey for your account",
      );
      await button(page, "Remove my password");
      await page.waitForSelector("text=Remove your password?");
      expect(await violationsOnTheWay(page)).toEqual([]);
      await button(page, "Remove");
      await page.waitForSelector("[data-form-problem]");
      await keepPicture(page, "10-not-without-a-password");
      // What began before the proof has ended with it.
      await proveAddress(service, email);
      await page.goto(`${service.url}/sign-in`);
      await page.waitForURL(`${service.url}/account`);
      await page.goto(`${service.url}/account/passkeys`);
      await button(page, "Remove my password");
      await button(page, "Remove");
      await page.waitForSelector("text=Your password was removed.");
      await page.waitForSelector("text=Remove my password", { state: "detached" });
      // Who has no password is asked for none, and can set one (A17).
      await page.goto(`${service.url}/account/password`);
      await page.waitForSelector("h1 >> text=Set a password");
      expect(await page.locator("[name=present]").count()).toBe(0);
      for (const name of ["password", "repeated"])
        await page.fill(`[name=${name}]`, "moss on the north side of the hut");
      await button(page, "Set a password");
      await page.waitForSelector("text=Password changed");
    } finally {
      await context.close();
    }
  });

  test("somebody who is not verified is told; before a change a passkey shows again who it is", async () => {
    const { context, page } = await openTab(browser);
    try {
      const device = await plugIn(page);
      await withPasskey(page, "dario");
      await service.clock.advance(11 * MINUTE);
      await page.reload();
      await page.click("text=Remove");
      await button(page, "Remove");
      await page.waitForSelector("text=Use a passkey instead");
      expect(await violationsOnTheWay(page)).toEqual([]);
      await device.behave({ verified: false });
      await button(page, "Use a passkey instead");
      await page.waitForSelector("[data-form-problem]");
      await device.behave({ verified: true });
      await button(page, "Use a passkey instead");
      await page.waitForSelector("text=You have no passkey yet.");
    } finally {
      await service.clock.reset();
      await context.close();
    }
  });

  test("one registers with a passkey and no password", async () => {
    const { context, page, complaints } = await openTab(browser);
    try {
      await plugIn(page);
      await page.goto(`${service.url}/register`);
      await button(page, "Register with a passkey instead");
      await page.waitForSelector("#email-error");
      await page.fill("#username", "elisa");
      await button(page, "Register with a passkey instead");
      await page.waitForSelector("text=Your account is ready");
      expect(await violationsOnTheWay(page)).toEqual([]);
      await keepPicture(page, "7-registered-with-a-passkey");
      await page.click("text=Continue");
      await page.waitForURL(`${service.url}/account`);
      await page.goto(`${service.url}/account/passkeys`);
      await page.click("text=Remove");
      await button(page, "Remove");
      await page.waitForSelector("[data-form-problem]");
      expect(await page.textContent("[data-form-problem]")).toContain("Without this nothing would be left");
      await keepPicture(page, "8-the-last-way-in-stays");
      expect(complaints).toEqual([]);
    } finally {
      await context.close();
    }
  });

  test("at 320 pixels nothing scrolls sideways, and without the browser's helpers it works as well", async () => {
    const { context, page } = await openTab(browser, { width: 320 });
    try {
      await context.addInitScript(`
        for (const name of ["parseCreationOptionsFromJSON", "parseRequestOptionsFromJSON"])
          delete PublicKeyCredential[name];
        delete PublicKeyCredential.prototype.toJSON;
      `);
      await plugIn(page);
      await withPasskey(page, "fausto");
      expect(await scrollsSideways(page)).toBe(false);
      await forgetCookies(page);
      await page.goto(`${service.url}/forgot`);
      expect(await page.evaluate("typeof PublicKeyCredential.parseRequestOptionsFromJSON")).toBe("undefined");
      await page.goto(`${service.url}/sign-in`);
      await page.waitForURL(`${service.url}/account`);
    } finally {
      await context.close();
    }
  });

  test("SI-10 whoever must have a second factor sets one up inside the sign-in: a passkey, or an app", async () => {
    const strict = await startShipped({
      settings: { LUCCHETTO_SECOND_FACTOR_REQUIRED: "[keeper]" },
    });
    try {
      for (const [email, way] of [
        ["gino@brina.example", "passkey"],
        ["gina@brina.example", "app"],
      ] as const) {
        const { context, page, complaints } = await openTab(browser);
        if (way === "passkey") await plugIn(page);
        const { id } = await strict.register(email);
        await strict.dataSource.query("UPDATE account SET labels = '[\"keeper\"]' WHERE id = ?", [id]);
        await page.goto(`${strict.url}/sign-in`);
        await page.fill("#identifier", email);
        await page.fill("#password", PASSWORD);
        await button(page, "Sign in");
        await page.waitForSelector("h1 >> text=Protect your account");
        expect(await violationsOnTheWay(page)).toEqual([]);
        if (way === "passkey") {
          await keepPicture(page, "9-set-up-inside-the-sign-in");
          await button(page, "Add a passkey");
        } else {
          await button(page, "Set up an authenticator app");
          const uri = (await page.getAttribute("text=Open an app on this device", "href")) ?? "";
          await page.fill("#code", codesOf(strict, uri)());
          await button(page, "Turn on");
        }
        await page.waitForSelector("h1 >> text=Your account is protected");
        expect(await page.locator("section code").count()).toBe(10);
        await button(page, "Continue");
        await page.waitForURL(`${strict.url}/account`);
        expect(complaints).toEqual([]);
        await context.close();
      }
    } finally {
      await strict.stop();
    }
  });
});
