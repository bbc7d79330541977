/** For whoever has no mouse, retypes nothing, and takes their time. */
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { PENDING_SIGN_IN_LIFE } from "@lucchetto/core";
import type { Browser, BrowserContext, Page } from "playwright-core";
import { forgetCookies, openTab, startBrowser } from "../../testing/browser.ts";
import { codesOf, enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
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

async function inTab(work: (page: Page, context: BrowserContext) => Promise<void>): Promise<void> {
  const { context, page, complaints } = await openTab(browser);
  await work(page, context);
  expect(complaints).toEqual([]);
  await context.close();
}

/** More stops than any page has. */
const MAX_STOPS = 60;

/** What has the focus: its name, whether it shows that and lies free, and where it stands in its form or list. */
function focused(page: Page) {
  return page.evaluate(() => {
    const element = document.activeElement as HTMLElement;
    const { left, top, width, height } = element.getBoundingClientRect();
    const at = document.elementFromPoint(left + width / 2, top + height / 2);
    const { outlineStyle, boxShadow } = getComputedStyle(element);
    const labels = [...((element as HTMLInputElement).labels ?? [])]
      .map(({ innerText }) => innerText)
      .join(" ");
    return {
      name: element.getAttribute("aria-label") ?? (labels || element.innerText),
      isSeen: outlineStyle !== "none" || boxShadow !== "none",
      isFree: at !== null && (element.contains(at) || at.contains(element)),
      inMain: element.closest("main, [role=dialog], dialog") !== null,
      row: Math.round(top + window.scrollY + height / 2),
      left: Math.round(left),
    };
  });
}

/** Goes on by Tab to what is called so. Each stop on the way shows the focus, lies free, and comes after the one before it. */
async function tabTo(page: Page, name: RegExp): Promise<void> {
  const passed: string[] = [];
  let before: Awaited<ReturnType<typeof focused>> | null = null;
  for (let stops = 0; stops < MAX_STOPS; stops += 1) {
    await page.keyboard.press("Tab");
    const stop = await focused(page);
    passed.push(stop.name);
    if (stop.inMain) {
      expect(stop).toMatchObject({ isSeen: true, isFree: true });
      if (before !== null) {
        const { row, left } = before;
        const isAfter = stop.row > row || (Math.abs(stop.row - row) <= 8 && stop.left >= left);
        if (!isAfter) throw new Error(`${JSON.stringify(stop)} comes after ${JSON.stringify(before)}`);
      }
      before = stop;
    }
    if (name.test(stop.name)) return;
  }
  throw new Error(`nothing of ${String(name)} among ${passed.join(" | ")}`);
}

const heading = (page: Page, text: string) => page.locator("h1", { hasText: text }).waitFor();

describe("by keyboard alone", () => {
  test("AC-4 somebody registers, turns on two-step sign-in, signs in with a code, and turns it off again", async () => {
    await inTab(async (page) => {
      const press = (key: string) => page.keyboard.press(key);
      const type = (text: string) => page.keyboard.type(text);
      await page.goto(`${service.url}/register`);
      await heading(page, "Register");
      await tabTo(page, /^E-mail address/);
      await type("keys@brina.example");
      await tabTo(page, /^Password/);
      await type(PASSWORD);
      await tabTo(page, /again/i);
      await type(PASSWORD);
      await press("Enter");
      await page.waitForURL(`${service.url}/account`);
      await page.waitForSelector("dl");
      await tabTo(page, /^Second factor/);
      await press("Enter");
      await heading(page, "Second factor");
      await tabTo(page, /^Set up an authenticator app/);
      await press("Space");
      await page.waitForSelector("img[alt^='QR code']");
      const code = codesOf(
        service,
        (await page.getAttribute("text=Open an app on this device", "href")) ?? "",
      );
      await tabTo(page, /code/i);
      await type(code());
      await press("Enter");
      await page.waitForSelector("text=Your recovery codes");

      await forgetCookies(page);
      await page.goto(`${service.url}/sign-in`);
      await heading(page, "Sign in");
      await tabTo(page, /^E-mail address/);
      await type("keys@brina.example");
      await tabTo(page, /^Password/);
      await type(PASSWORD);
      await press("Enter");
      await heading(page, "Enter your code");
      await service.clock.advance(30_000);
      // The field has the focus already.
      await type(code());
      await press("Enter");
      await page.waitForURL(`${service.url}/account`);
      await page.goto(`${service.url}/account/second-factor`);
      await heading(page, "Second factor");
      await tabTo(page, /^Remove/);
      const opener = await focused(page);
      await press("Enter");
      await page.waitForSelector("dialog[open]");
      await press("Escape");
      await page.waitForSelector("dialog[open]", { state: "detached" });
      expect(await focused(page)).toEqual(opener);
      await press("Enter");
      await page.waitForSelector("dialog[open]");
      expect((await focused(page)).name).toBe("Keep it");
      await tabTo(page, /^Remove/);
      await press("Enter");
      await page.waitForSelector("text=You have none yet");
    });
  });
});

describe("without retyping", () => {
  test("AC-6 password, code and recovery code are pasted whole, with the spaces that they were copied with", async () => {
    const { token } = await service.register("paste@brina.example");
    const app = await enrolAuthenticator(service, token);
    await inTab(async (page, context) => {
      await context.grantPermissions(["clipboard-read", "clipboard-write"]);
      const paste = async (field: string, text: string) => {
        await page.evaluate((copied) => navigator.clipboard.writeText(copied), text);
        await page.focus(field);
        await page.keyboard.press("Control+V");
      };
      const showPassword = async () => {
        await page.goto(`${service.url}/sign-in`);
        await page.waitForSelector("form");
        await paste("#identifier", "paste@brina.example");
        await paste("#password", PASSWORD);
        await page.keyboard.press("Enter");
        await heading(page, "Enter your code");
      };
      await showPassword();
      expect(await page.locator("form input:visible").count()).toBe(1);
      expect(await page.getAttribute("#code", "inputmode")).toBe("numeric");
      expect(await page.getAttribute("#code", "autocomplete")).toBe("one-time-code");
      const code = await app.nextCode();
      await paste("#code", ` ${code.slice(0, 3)} ${code.slice(3)} `);
      await page.keyboard.press("Enter");
      await page.waitForURL(`${service.url}/account`);
      await forgetCookies(page);
      await showPassword();
      await page.click("text=Use a recovery code instead");
      await paste("#code", ` ${app.recoveryCodes[0]?.replaceAll("-", " ")}\n`);
      await page.keyboard.press("Enter");
      await page.waitForURL(`${service.url}/account`);
    });
  });
});

describe("time", () => {
  /** Browser and service tell the time alike. */
  let punctual: TestService;
  beforeAll(async () => {
    punctual = await startShipped();
  });
  afterAll(() => punctual.stop());

  test("a device whose clock is wrong shows how long ago things were all the same", async () => {
    await punctual.register("late@brina.example");
    await inTab(async (page) => {
      await page.clock.install({ time: Date.now() - 10 * 60_000 });
      await page.goto(`${punctual.url}/sign-in?next=/account/sessions`);
      await page.fill("#identifier", "late@brina.example");
      await page.fill("#password", PASSWORD);
      await page.click("button[type=submit]");
      await page.waitForURL(`${punctual.url}/account/sessions`);
      await page.waitForSelector("main li time");
      const times = await page.locator("main li time").allTextContents();
      expect(times.filter((text) => text.startsWith("in "))).toEqual([]);
    });
  });

  test("AC-7 a sign-in that waits says until when, again when little is left, and how to begin anew", async () => {
    const { token } = await punctual.register("slow@brina.example");
    await enrolAuthenticator(punctual, token);
    await inTab(async (page) => {
      await page.clock.install();
      await page.goto(`${punctual.url}/sign-in?next=/account/details`);
      await page.fill("#identifier", "slow@brina.example");
      await page.fill("#password", PASSWORD);
      await page.click("button[type=submit]");
      await heading(page, "Enter your code");
      expect(await page.textContent("main")).toMatch(/You have until \d/);
      const announced = page.locator("main [role=status]");
      expect((await announced.textContent())?.trim()).toBe("");
      await page.clock.fastForward(PENDING_SIGN_IN_LIFE - 50_000);
      await page.waitForSelector("text=Less than a minute left");
      expect(await announced.textContent()).toContain("Less than a minute left");
      expect(await page.locator("main a", { hasText: "Start over" }).count()).toBe(1);
      await page.clock.fastForward(60_000);
      await page.waitForSelector("[role=alert] >> text=Nothing has changed. Start over");
      await page.click("main a:has-text('Start over')");
      await page.waitForSelector("#identifier");
      expect(page.url()).toBe(`${punctual.url}/sign-in?next=/account/details`);
    });
  });

  test("AC-7 what was being typed when the session ended stands there again, for the same person alone", async () => {
    const email = "typing@brina.example";
    const { id } = await service.register(email);
    await service.register("other@brina.example");
    const signIn = async (page: Page, who: string) => {
      await page.fill("#identifier", who);
      await page.fill("#password", PASSWORD);
      await page.click("button[type=submit]");
      await page.waitForURL(`${service.url}/account/details`);
      await page.waitForSelector("#displayName");
    };
    const endAll = () =>
      service.dataSource.query("UPDATE session SET endedAt = UTC_TIMESTAMP(3) WHERE accountId = ?", [id]);
    await inTab(async (page) => {
      const typeUntilItEnds = async () => {
        await page.fill("#displayName", "Rosa of the upper hut");
        await endAll();
        // Either this is refused, or the page has heard of the end already.
        await page.keyboard.press("Enter");
        await heading(page, "You are signed out");
        await page.click("text=Sign in again");
        await page.waitForSelector("#identifier");
      };
      await page.goto(`${service.url}/sign-in?next=/account/details`);
      await signIn(page, email);
      await typeUntilItEnds();
      await signIn(page, email);
      await page.waitForFunction(
        () => document.querySelector<HTMLInputElement>("#displayName")?.value === "Rosa of the upper hut",
      );
      await page.click("button[type=submit]");
      await page.waitForURL(`${service.url}/account`);
      await page.waitForSelector("h1 >> text=Rosa of the upper hut");

      await page.goto(`${service.url}/account/password`);
      await page.fill("#password", "a password that is shown");
      await page.locator("button[aria-label='Show new password']").click();
      expect(await page.getAttribute("#password", "type")).toBe("text");
      await endAll();
      await heading(page, "You are signed out");
      expect(await page.evaluate(() => JSON.stringify(sessionStorage))).not.toContain("that is shown");
      await page.goto(`${service.url}/sign-in?next=/account/details`);
      await signIn(page, email);
      await page.fill("#displayName", "What nobody else may read");
      await typeUntilItEnds();
      expect(await page.evaluate(() => Object.keys(sessionStorage))).toContain("lucchetto-typed");
      await signIn(page, "other@brina.example");
      await page.waitForFunction(() => !("lucchetto-typed" in sessionStorage));
      expect(await page.inputValue("#displayName")).toBe("");
    });
  });
});
