import { spawn } from "node:child_process";
import { randomBytes } from "node:crypto";
import { mkdtempSync, readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, describe, expect, test } from "@jest/globals";
import { readKeyUri } from "@lucchetto/core";
import { createSampleApp } from "@lucchetto/demo";
import { openTab, startBrowser } from "../../testing/browser.ts";
import { callCommand, COMMAND } from "../../testing/command.ts";
import { asRoot } from "../../testing/database.ts";
import { eventually } from "../../testing/eventually.ts";
import { CHEAP_SCHEME, freePort } from "../../testing/service.ts";

const PASSWORD = "brass key, stone door";
const ADMIN_PASSWORD = "iron gate of the valley";

/** Milliseconds without an echo. */
const LOST_AFTER = 45_000;
/** What a hash costs is not the matter here. */
const CHEAP = { LUCCHETTO_PASSWORDS_HASHING_SCHEME: CHEAP_SCHEME };

const stops: Array<() => Promise<unknown>> = [];
afterEach(async () => {
  for (const stop of stops.splice(0).reverse()) await stop();
});

/** An empty folder, a database server with an administrator, and names that nobody has. */
async function place() {
  const home = mkdtempSync(join(tmpdir(), "lucchetto-setup-"));
  const name = `setup_${randomBytes(5).toString("hex")}`;
  const admin = `${name}_boss`;
  await asRoot(
    `CREATE USER ${admin}@'127.0.0.1' IDENTIFIED BY '${ADMIN_PASSWORD}'; GRANT ALL ON *.* TO ${admin}@'127.0.0.1' WITH GRANT OPTION;`,
  );
  stops.push(() =>
    asRoot(
      `DROP USER ${admin}@'127.0.0.1'; DROP DATABASE IF EXISTS ${name}; DROP USER IF EXISTS ${name}@'127.0.0.1', ${name}@'localhost';`,
    ),
  );
  const server = `127.0.0.1:${process.env["TEST_DATABASE_PORT"]}`;
  const [port, appPort] = [await freePort(), await freePort()];
  const options = [
    "--site-name",
    "Brina Huts",
    "--public-url",
    `http://localhost:${port}`,
    "--database",
    `mariadb://${name}@${server}/${name}`,
    "--admin",
    `mariadb://${admin}@${server}`,
    "--operator-email",
    "office@brina.example",
    "--app-name",
    "Hut book",
    "--app-url",
    `http://localhost:${appPort}`,
  ];
  const run = (args: readonly string[] = options, env: Record<string, string> = {}, input = PASSWORD) =>
    callCommand(home, ["setup", "--password-stdin", ...args], {
      input,
      env: { ...CHEAP, LUCCHETTO_ADMIN_PASSWORD: ADMIN_PASSWORD, ...env },
    });
  return { home, name, admin, server, port, appPort, options, run };
}

function withOption(options: readonly string[], name: string, value: string): string[] {
  return options.map((one, index) => (options[index - 1] === name ? value : one));
}

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
      LUCCHETTO_PASSWORDS_HASHING_SCHEME: "$scrypt$ln=15,r=8,p=3",
    });
    expect(made).toMatchObject({ status: 0, err: "" });
    const [uri = ""] = /otpauth:\S+/.exec(made.out) ?? [];
    expect(readKeyUri(uri)).toMatchObject({ issuer: "Brina Huts", account: "office@brina.example" });
    expect(made.out.match(/^ {2}[0-9a-z]{5}-[0-9a-z]{5}-[0-9a-z]{5}$/gm)).toHaveLength(10);
    expect((await run([])).out).not.toContain("otpauth:");
  });

  test("run twice it changes nothing, and says that all is there", async () => {
    const { home, run } = await place();
    await run();
    const content = () => readdirSync(home).map((name) => readFileSync(join(home, name), "utf8"));
    const before = content();
    const again = await run();
    expect(again.status).toBe(0);
    expect(again.out).not.toMatch(/^made/m);
    expect(again.out.match(/^there/gm)).toHaveLength(7);
    expect(again.out).not.toMatch(/lcp_/);
    expect(content()).toEqual(before);
  });

  test("run again with other options it says which were not followed, and how it is", async () => {
    const { home, options, run } = await place();
    await run();
    const changed = [
      ["--public-url", "http://huts.example:1234"],
      ["--database", "mariadb://other@127.0.0.1/other"],
      ["--operator-email", "falco@brina.example"],
      ["--app-url", "http://localhost:1"],
    ].reduce((args, [name = "", value = ""]) => withOption(args, name, value), options);
    const before = readFileSync(join(home, "lucchetto.yaml"), "utf8");
    const mail = ["--smtp", "smtp://mail.brina.example:587", "--mail-from", "huts@brina.example"];
    const again = await run([...changed, ...mail]);
    expect(again).toMatchObject({ status: 0, err: "" });
    const kept = again.out.split("\n").filter((line) => line.startsWith("kept"));
    expect(kept.map((line) => line.replace(/^kept +/, ""))).toEqual([
      expect.stringMatching(
        /^publicUrl is http:\/\/localhost:\d+, though --public-url says .+ to change it, edit/,
      ),
      expect.stringMatching(/^database\.url is mariadb:.+, though --database says mariadb:\/\/other/),
      expect.stringMatching(/^mail\.smtp\.url is not set, though --smtp says smtp:/),
      expect.stringMatching(/^mail\.from is not set, though --mail-from says huts/),
      expect.stringMatching(/^no operator falco@brina\.example was made; .+ operator add --email falco/),
      expect.stringMatching(/^no other app than .+ was made; .+ app add "Hut book"/),
    ]);
    expect(readFileSync(join(home, "lucchetto.yaml"), "utf8")).toBe(before);
    // What no configuration could have is refused the second time as the first.
    const refused = await run(withOption(options, "--public-url", "brina.example"));
    expect(refused).toMatchObject({
      status: 1,
      err: expect.stringMatching(/publicUrl: found "brina\.example"/),
    });
  });

  test("an interrupted one is gone on with: what is missing is made", async () => {
    const { home, run, options } = await place();
    const refused = await run(options, { LUCCHETTO_ADMIN_PASSWORD: "wrong" });
    expect(refused).toMatchObject({ status: 1, err: expect.stringMatching(/user or the password is wrong/) });
    expect(readdirSync(home)).toContain("lucchetto.yaml");
    const done = await run();
    expect(done.status).toBe(0);
    expect(done.out).toMatch(/there +configuration/);
    expect(done.out).toMatch(/made +operator/);
  });

  test.each([
    ["--public-url", "brina.example", /publicUrl: found "brina\.example", expected the address/],
    ["--database", "http://localhost:8420", /database\.url: found .*looks like a web address/],
    ["--site-name", "x".repeat(61), /site\.name: found/],
    ["--app-url", "no address", /application's address/],
    ["--operator-email", "office", /--email: this is not an e-mail address/],
    ["--admin", "mariadb://nobody_here@127.0.0.1:1", /nothing answers there \(ECONNREFUSED\)/],
    ["--admin", "root", /should look like mariadb:\/\/root@/],
  ])("%s %s is refused with what is expected", async (option, value, message) => {
    const { options, run } = await place();
    const refused = await run(withOption(options, option, value));
    expect(refused.status).toBe(1);
    expect(refused.err).toMatch(message);
    expect(refused.err).not.toMatch(/ {4}at /);
  });

  test("without an administrator and without its password the database user's password is missing, and no empty one is kept", async () => {
    const { home, options, run } = await place();
    const without = [
      ...options.filter((one, index) => one !== "--admin" && options[index - 1] !== "--admin"),
      "--no-admin",
    ];
    const refused = await run(without);
    expect(refused).toMatchObject({ status: 1, err: expect.stringContaining("LUCCHETTO_DATABASE_PASSWORD") });
    expect(readdirSync(home)).not.toContain("database-password");
    // One that was left empty by an interruption is none.
    writeFileSync(join(home, "database-password"), "", { mode: 0o600 });
    const made = await run();
    expect(made).toMatchObject({ status: 0 });
    expect(readFileSync(join(home, "database-password"), "utf8").length).toBeGreaterThan(20);
  });

  test("a password that the rules refuse makes no operator", async () => {
    const { options, run } = await place();
    const refused = await run(options, {}, "short");
    expect(refused).toMatchObject({ status: 1, err: expect.stringMatching(/at least 15 characters/) });
    expect((await run()).out).toMatch(/made +operator/);
  });

  test("on a terminal it asks only for what it cannot know, and every wrong answer can be corrected", async () => {
    const { home, name, admin, server, port, appPort } = await place();
    const answers: Array<[prompt: RegExp, answer: string]> = [
      [/call the site/, "Brina Huts"],
      [/see Lucchetto/, "brina.example"],
      [/its database/, `mariadb://${name}@${server}/${name}`],
      [/expected the address people see[\s\S]*call the site/, "Brina Huts"],
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
      [/does it answer/, `http://localhost:${appPort}`],
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
