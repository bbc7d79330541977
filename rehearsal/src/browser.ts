/** Headless Chromium: its own profile, an empty environment, driven over a pipe, sandboxed where the machine allows it. */
import { existsSync } from "node:fs";
import type { Browser } from "playwright-core";

const PLACES = ["/usr/bin/chromium-headless-shell", "/usr/bin/chromium", "/usr/bin/google-chrome"];

/** @param hosts the only ones that it reaches, by redirects and links as well. @throws Error that says what to install. */
export async function startBrowser(hosts: readonly string[]): Promise<Browser> {
  const playwright = await import("playwright-core").catch(() => null);
  if (playwright === null)
    throw new Error(
      "The package that drives the browser is not installed: npm install playwright-core. Or go without one: --no-browser",
    );
  const executablePath = [process.env["CHROMIUM"], ...PLACES].find(
    (path) => path !== undefined && existsSync(path),
  );
  if (executablePath === undefined)
    throw new Error(
      "There is no Chromium here: apt install chromium-headless-shell, or name it in CHROMIUM. Or go without one: --no-browser",
    );
  return playwright.chromium.launch({
    executablePath,
    // Root has no sandbox.
    chromiumSandbox: process.getuid?.() !== 0,
    env: { PATH: process.env["PATH"] ?? "" },
    args: [
      `--host-resolver-rules=${["MAP * ~NOTFOUND", ...hosts.map((host) => `EXCLUDE ${host}`)].join(", ")}`,
      "--disable-gpu",
      "--disable-quic",
      "--no-first-run",
      "--disable-background-networking",
      "--disable-component-update",
    ],
  });
}
