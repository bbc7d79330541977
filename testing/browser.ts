/** Headless Chromium, as people's browsers are: nothing is stubbed. */
import type { Browser, BrowserContext, Page } from "playwright-core";
import { chromium } from "playwright-core";

const ARGUMENTS = [
  "--no-sandbox",
  "--disable-gpu",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
];

export function startBrowser(): Promise<Browser> {
  const executablePath = process.env["CHROMIUM"] ?? "/usr/bin/chromium";
  return chromium.launch({ executablePath, args: ARGUMENTS });
}

/** A fresh browser with one tab; what its console and its policy complained of is kept. */
export async function openTab(
  browser: Browser,
  options: { dark?: boolean; width?: number } = {},
): Promise<{ context: BrowserContext; page: Page; complaints: string[] }> {
  const context = await browser.newContext({
    viewport: { width: options.width ?? 1280, height: 800 },
    colorScheme: options.dark === true ? "dark" : "light",
  });
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
