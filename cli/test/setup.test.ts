import { spawn } from "node:child_process";
import { readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { readKeyUri } from "@lucchetto/core";
import { createSampleApp } from "@lucchetto/demo";
import { openTab, startBrowser } from "../../testing/browser.ts";
import { COMMAND } from "../../testing/command.ts";
import { eventually } from "../../testing/eventually.ts";
import { PRODUCTION_SCHEME } from "../../testing/service.ts";
import {
  ADMIN_PASSWORD,
  CHEAP,
  OPERATORS_PASSWORD as PASSWORD,
  place,
  stops,
  withOption,
} from "../../testing/setup-place.ts";

/** Milliseconds without an echo. */
const LOST_AFTER = 45_000;

describe("setup", () => {
  test("from an empty folder to a closed page, with nothing but what it prints", async () => {
    const { home, port, appPort, run } = await place();
    const made = await run();
    expect(made).toMatchObject({ status: 0, err: "" });
    expect(readdirSync(home).sort()).toEqual(["database-password", "keys.yaml", "lucchetto.yaml"]);
    for (const secret of ["database-password", "keys.yaml"])
      expect(statSync(join(home, secret)).mode & 0o777).toBe(0o600);
    expect(made.out).not.toContain(PASSWORD);
    expect(made.out).not.toContain(readFileSync(join(home, "database-password"), "utf8"));

    const child = spawn(process.execPath, [COMMAND, "serve"], {
      cwd: home,
      stdio: "ignore",
      env: { ...process.env, ...CHEAP },
    });
    stops.push(
      () =>
        new Promise((resolve) => {
          child.once("exit", resolve);
          child.kill("SIGTERM");
        }),
    );
    const value = (name: string) => new RegExp(`${name}[:=] ?"?([^"\\n]+)`).exec(made.out)?.[1] ?? "";
    const app = await createSampleApp({
      service: value("service"),
      clientId: value("clientId"),
      appKey: value("LUCCHETTO_APP_KEY"),
      returnAddress: value("returnAddress"),
      signedOutAddress: value("signedOutAddress"),
    });
    await app.listen({ host: "127.0.0.1", port: appPort });
    stops.push(() => app.close());
    const browser = await startBrowser();
    stops.push(() => browser.close());
    const { page } = await openTab(browser);
    await eventually(
      async () => (await fetch(`http://localhost:${port}/readyz`).catch(() => null))?.ok,
      "the service",
    );
    await page.goto(`http://localhost:${appPort}/members`);
    await page.fill("#identifier", "office@brina.example");
    await page.fill("#password", PASSWORD);
    await page.click("button[type=submit]");
    await page.waitForURL(`http://localhost:${appPort}/members`);
    expect(await page.textContent("main, body")).toMatch(/members alone/);
  });

  test("OP-1 for a public site the first operator gets a second factor, shown once", async () => {
    const { options, run } = await place();
    const made = await run(withOption(options, "--public-url", "https://accounts.brina.example"), {
      LUCCHETTO_PASSWORDS_HASHING_SCHEME: PRODUCTION_SCHEME,
    });
    expect(made).toMatchObject({ status: 0, err: "" });
    const [uri = ""] = /otpauth:\S+/.exec(made.out) ?? [];
    expect(readKeyUri(uri)).toMatchObject({ issuer: "Brina Huts", account: "office@brina.example" });
    expect(made.out.match(/^ {2}[0-9a-z]{5}-[0-9a-z]{5}-[0-9a-z]{5}$/gm)).toHaveLength(10);
    expect((await run([])).out).not.toContain("otpauth:");
  });

  test("on a terminal it asks only for what it cannot know, and every wrong answer can be corrected", async () => {
    const { home, name, admin, server, port, appPort } = await place();
    const answers: Array<[prompt: RegExp, answer: string]> = [
      [/site called/, "Brina Huts"],
      [/see Lucchetto/, "brina.example"],
      [/its database/, `mariadb://${name}@${server}/${name}`],
      [/expected the address people see[\s\S]*site called/, "Brina Huts"],
      [/see Lucchetto/, `http://localhost:${port}`],
      [/its database/, `mariadb://${name}@${server}/${name}`],
      [/administrator create/, "y"],
      [/administrator's address/, `mariadb://${admin}@${server}`],
      [/administrator's password/, "wrong"],
      [/password is wrong[\s\S]*administrator create/, "y"],
      [/administrator's address/, `mariadb://${admin}@${server}`],
      [/administrator's password/, ADMIN_PASSWORD],
      [/first operator/, "office@brina.example"],
      [/operator's password/, "short"],
      [/password again/, "short"],
      [/at least 15 characters[\s\S]*first operator/, "office@brina.example"],
      [/operator's password/, PASSWORD],
      [/password again/, PASSWORD],
      [/application called/, "Hut book"],
      [/What is its address/, `http://localhost:${appPort}`],
    ];
    const { status, out } = await converse(home, answers);
    expect({ status, end: out.slice(-600) }).toMatchObject({ status: 0 });
    expect(out).toMatch(/LUCCHETTO_APP_KEY=lcp_/);
    expect(out).not.toContain(ADMIN_PASSWORD);
    expect(out).not.toContain(PASSWORD);
    writeFileSync(join(home, "seen"), "");
  });
});

/** Runs `setup` in a terminal of its own, and answers each prompt as it comes. */
function converse(home: string, answers: Array<[RegExp, string]>): Promise<{ status: number; out: string }> {
  return new Promise((resolve) => {
    const child = spawn("script", ["-qec", `${process.execPath} ${COMMAND} setup`, "/dev/null"], {
      cwd: home,
      env: {
        ...CHEAP,
        PATH: process.env["PATH"] ?? "",
        HOME: home,
        XDG_CONFIG_HOME: home,
        TERM: "xterm",
        COLUMNS: "200",
      },
    });
    let out = "";
    let seen = 0;
    child.stdout.on("data", (chunk: Buffer) => {
      out += chunk.toString().replace(/\u001b\[[0-9;?]*[A-Za-z]/g, "");
      const next = answers[0];
      if (next === undefined || !next[0].test(out.slice(seen))) return;
      answers.shift();
      seen = out.length;
      type(next[1]);
    });
    // What is typed before a prompt listens is lost: typed once more if nothing came of it for long.
    let typedAgain: NodeJS.Timeout;
    const type = (answer: string): void => {
      clearTimeout(typedAgain);
      const before = out.length;
      child.stdin.write(`${answer}\r`);
      typedAgain = setTimeout(() => {
        if (out.length === before) type(answer);
      }, LOST_AFTER);
    };
    child.once("close", (code) => {
      clearTimeout(typedAgain);
      resolve({ status: code ?? -1, out });
    });
  });
}
