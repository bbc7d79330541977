/** Headless Chromium: its own profile, an empty environment, driven over a pipe, sandboxed where the machine allows it. */
import { existsSync } from "node:fs";
import type { Browser } from "playwright-core";

const PLACES = ["/usr/bin/chromium-headless-shell", "/usr/bin/chromium", "/usr/bin/google-chrome"];
/** Nothing is asked by itself, and nothing is drawn by a graphics card that servers lack. */
const ARGUMENTS = [
  "--disable-gpu",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
];

export interface BrowserOptions {
  /** The only hosts that it reaches, by redirects and links as well; all, if left out. */
  readonly hosts?: readonly string[];
  /** Names that lead to this machine. */
  readonly names?: readonly string[];
}

/** Starts one. @throws Error that says what to install. */
export async function startBrowser({ hosts, names = [] }: BrowserOptions = {}): Promise<Browser> {
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
  const rules = [
    ...names.map((name) => `MAP ${name} 127.0.0.1`),
    ...(hosts === undefined ? [] : ["MAP * ~NOTFOUND", ...hosts.map((host) => `EXCLUDE ${host}`)]),
  ];
  return playwright.chromium.launch({
    executablePath,
    // Root has no sandbox.
    chromiumSandbox: process.getuid?.() !== 0,
    env: { PATH: process.env["PATH"] ?? "" },
    args: [...ARGUMENTS, ...(rules.length === 0 ? [] : [`--host-resolver-rules=${rules.join(", ")}`])],
  });
}
