/** Headless Chromium, as people's browsers are: nothing is stubbed. */
import { startBrowser as start } from "@lucchetto/rehearsal";
import type { Browser, BrowserContext, Page } from "playwright-core";

/** Milliseconds for what a page is waited for: far more than a busy machine needs. */
const LIMIT = Number(process.env["PAGE_LIMIT"] ?? 300_000);

/** @param names host names that lead to this machine. */
export const startBrowser = (names: readonly string[] = []): Promise<Browser> => start({ names });

/** A fresh browser with one tab; what its console and its policy complained of is kept. */
export async function openTab(
  browser: Browser,
  options: { dark?: boolean; width?: number; trustsAll?: boolean; locale?: string } = {},
): Promise<{ context: BrowserContext; page: Page; complaints: string[] }> {
  const context = await browser.newContext({
    viewport: { width: options.width ?? 1280, height: 800 },
    // Of certificates made on the spot.
    ignoreHTTPSErrors: options.trustsAll === true,
    // What the browser asks for; nothing, if left out.
    ...(options.locale === undefined ? {} : { locale: options.locale }),
    colorScheme: options.dark === true ? "dark" : "light",
  });
  context.setDefaultTimeout(LIMIT);
  const page = await context.newPage();
  const complaints: string[] = [];
  page.on("pageerror", (error) => complaints.push(error.message));
  page.on("console", (message) => {
    // A refused call is shown by browsers as an error; pages say it in their own words.
    const refusal = message.text().startsWith("Failed to load resource");
    if (message.type() === "error" && !refusal) complaints.push(message.text());
  });
  return { context, page, complaints };
}

/**
 * Signs a browser out of everything by forgetting its cookies, those aside that are kept. No page of ours stands open meanwhile: one that
 * notices goes elsewhere by itself, against whatever the test opens next.
 */
export async function forgetCookies(
  page: Page,
  isKept: (name: string) => boolean = () => false,
): Promise<void> {
  // Of the same origin, and without a script.
  await page.goto(new URL("/openapi.json", page.url()).href);
  const context = page.context();
  const kept = (await context.cookies()).filter(({ name }) => isKept(name));
  await context.clearCookies();
  await context.addCookies(kept);
}

/** An authenticator that the browser believes in; real passkeys, without a finger. */
export interface VirtualAuthenticator {
  /** Whether the person touches it when asked, and whether they are verified then. */
  behave(how: { present?: boolean; verified?: boolean }): Promise<void>;
  credentials(): Promise<
    Array<{
      credentialId: string;
      signCount: number;
      isResidentCredential: boolean;
      userName?: string;
      userDisplayName?: string;
    }>
  >;
  remove(): Promise<void>;
}

/** Gives a tab an authenticator. */
export async function plugIn(
  page: Page,
  how: {
    kind?: "device" | "key" | "u2f";
    verifies?: boolean;
    isSynced?: boolean;
  } = {},
): Promise<VirtualAuthenticator> {
  const { kind = "device", verifies = kind === "device", isSynced = kind === "device" } = how;
  const cdp = await page.context().newCDPSession(page);
  await cdp.send("WebAuthn.enable");
  const { authenticatorId } = await cdp.send("WebAuthn.addVirtualAuthenticator", {
    options: {
      protocol: kind === "u2f" ? "u2f" : "ctap2",
      transport: kind === "device" ? "internal" : "usb",
      hasResidentKey: kind !== "u2f",
      hasUserVerification: verifies,
      isUserVerified: verifies,
      automaticPresenceSimulation: true,
      defaultBackupEligibility: isSynced,
      defaultBackupState: isSynced,
    },
  });
  return {
    async behave({ present = true, verified = true }) {
      await cdp.send("WebAuthn.setAutomaticPresenceSimulation", { authenticatorId, enabled: present });
      await cdp.send("WebAuthn.setUserVerified", { authenticatorId, isUserVerified: verified });
    },
    async credentials() {
      const { credentials } = await cdp.send("WebAuthn.getCredentials", { authenticatorId });
      return credentials;
    },
    async remove() {
      await cdp.send("WebAuthn.removeVirtualAuthenticator", { authenticatorId });
    },
  };
}
