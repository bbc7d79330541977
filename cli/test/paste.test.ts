/** What `app add` prints to be pasted, pasted: from nothing to a closed page, in a browser. */
import type { ChildProcess } from "node:child_process";
import { spawn } from "node:child_process";
import { existsSync, mkdtempSync, symlinkSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Browser } from "playwright-core";
import { openTab, startBrowser } from "../../testing/browser.ts";
import type { CommandLine } from "../../testing/command.ts";
import { commandLine } from "../../testing/command.ts";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

const MODULES = fileURLToPath(new URL("../../node_modules", import.meta.url));

let service: TestService;
let browser: Browser;
let lucchetto: CommandLine;
beforeAll(async () => {
  service = await startShipped();
  await service.operator();
  browser = await startBrowser();
  lucchetto = commandLine(mkdtempSync(join(tmpdir(), "lucchetto-home-")), service);
  await lucchetto(["sign-in", "office@brina.example", "--password-stdin"], { input: PASSWORD });
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

async function add(name: string, style: string, [back, out]: readonly [back: string, out: string]) {
  const port = await freePort();
  const url = `http://localhost:${port}`;
  const more = ["--redirect-uri", url + back, "--signed-out-uri", url + out, "--style", style];
  const { out: said } = await lucchetto(["app", "add", name, ...more]);
  return { url, said, key: /lcp_\S{20,}/.exec(said)?.[0] ?? "" };
}

async function answering(child: ChildProcess, url: string): Promise<void> {
  let said = "";
  child.stderr?.on("data", (chunk) => (said += chunk));
  await eventually(async () => {
    if (child.exitCode !== null) throw new Error(`it does not answer: ${said}`);
    return (await fetch(url).catch(() => null))?.ok;
  });
}

/** As somebody who never heard of it would. */
async function walk(url: string, email: string): Promise<void> {
  const { context, page, complaints } = await openTab(browser);
  try {
    await page.goto(`${url}/members`);
    await page.waitForURL(`${service.url}/sign-in**`);
    await page.click("text=Register");
    await page.fill("#email", email);
    await page.fill("#displayName", "Ida <Brina>");
    await page.fill("#password", PASSWORD);
    await page.fill("#repeated", PASSWORD);
    await page.click("button[type=submit]");
    await page.waitForURL(`${url}/members`);
    expect(await page.textContent("body")).toContain("Ida <Brina>");
    await page.click("text=Sign out");
    await page.waitForURL(`${url}/`);
    await page.goto(`${url}/members`);
    // Signed out of Lucchetto too: nobody comes in by a click.
    await page.waitForURL(`${service.url}/sign-in**`);
    await page.waitForSelector("#password");
    expect(complaints).toEqual([]);
  } finally {
    await context.close();
  }
}

describe("the lines to paste", () => {
  test.each(["fastify", "express"])("into a new folder, for %s", async (style) => {
    const { url, said, key } = await add(`Hut book in ${style}`, style, ["/signed-in", "/signed-out"]);
    const [, install = "", program = ""] =
      /npm init.*\nnpm install (.*)\n[^]*server\.js:\n\n([^]*?)\n\nThen: node server\.js/.exec(said) ?? [];
    const [framework, ...folders] = install.split(" ");
    expect([framework, folders.map((folder) => existsSync(join(folder, "package.json")))]).toEqual([
      style,
      [true, true],
    ]);
    const folder = mkdtempSync(join(tmpdir(), "lucchetto-pasted-"));
    symlinkSync(MODULES, join(folder, "node_modules"));
    writeFileSync(join(folder, "package.json"), '{"type":"module"}');
    writeFileSync(join(folder, "server.js"), program);
    const child = spawn(process.execPath, ["server.js"], {
      cwd: folder,
      env: { PATH: process.env["PATH"], LUCCHETTO_APP_KEY: key },
      stdio: ["ignore", "ignore", "pipe"],
    });
    try {
      await answering(child, url);
      expect(await (await fetch(url)).text()).toContain("/register");
      await walk(url, `ida.${style}@brina.example`);
    } finally {
      child.kill();
    }
  });

  test("into a shell, for another language", async () => {
    const { url, said, key } = await add("Hut book in Python", "other", ["/signed-in", "/"]);
    const line = said.split("\n").find((one) => one.includes("python3")) ?? "";
    const child = spawn("sh", ["-c", `exec env ${line.replace("lcp_…", key)}`], {
      stdio: ["ignore", "ignore", "pipe"],
    });
    try {
      await answering(child, url);
      await walk(url, "ida.python@brina.example");
    } finally {
      child.kill();
    }
    const elsewhere = await add("Elsewhere", "other", ["/signed-in", "/signed-out"]);
    expect(elsewhere.said).toMatch(/Register them so: --redirect-uri http:\/\/localhost:\d+\/signed-in/);
  });

  test("for a proxy; another style is refused", async () => {
    const { said } = await add("Site", "proxy", ["/in", "/out"]);
    expect(said).toContain("proxyCheck: { clientId: site, proxies: [127.0.0.1] }");
    expect(existsSync(/nginx: (\S+)/.exec(said)?.[1] ?? "")).toBe(true);
    const refused = await lucchetto([
      "app",
      "add",
      "X",
      "--redirect-uri",
      "http://localhost:1/x",
      "--style",
      "koa",
    ]);
    expect(refused).toMatchObject({
      status: 2,
      err: expect.stringContaining("fastify, express, other, proxy"),
    });
  });
});
