import { spawn } from "node:child_process";
import { mkdtempSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { Run, RunOptions } from "../../testing/command.ts";
import { runCommand } from "../../testing/command.ts";
import type { TestService } from "../../testing/service.ts";
import { CHEAP_SCHEME, freePort, PASSWORD, startService } from "../../testing/service.ts";

const COMMAND = fileURLToPath(new URL("../bin/lucchetto.js", import.meta.url));
let service: TestService;
let home: string;
beforeAll(async () => {
  service = await startService();
  await service.operator();
  home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
});
afterAll(() => service.stop());

/** Runs the command against the test's service. */
function lucchetto(args: readonly string[], options: RunOptions = {}): Promise<Run> {
  return runCommand(home, args, { ...options, env: { LUCCHETTO_URL: service.url, ...options.env } });
}

describe("as a person", () => {
  test("register, whoami, sign-out, sign-in; the token stands in a file of mode 0600 and in no output", async () => {
    const registered = await lucchetto(
      ["register", "--email", "anna@brina.example", "--name", "Anna", "--password-stdin"],
      { input: `${PASSWORD}\n` },
    );
    expect(registered).toMatchObject({ status: 0, err: "" });
    expect(registered.out).toContain("anna@brina.example");
    const file = join(home, "lucchetto", "credentials.json");
    expect(statSync(file).mode & 0o777).toBe(0o600);
    const { token } = JSON.parse(readFileSync(file, "utf8")).default;
    expect(registered.out).not.toContain(token);

    const who = await lucchetto(["whoami", "--json"]);
    expect(JSON.parse(who.out)).toMatchObject({
      account: { email: "anna@brina.example" },
      session: { current: true },
    });
    expect((await lucchetto(["sign-out"])).out).toContain("Signed out.");
    const nobody = await lucchetto(["whoami"]);
    expect(nobody.status).toBe(1);
    expect(nobody.err).toContain("lucchetto sign-in");
    expect(
      (await lucchetto(["sign-in", "anna@brina.example", "--password-stdin"], { input: PASSWORD })).status,
    ).toBe(0);
  });

  test("profiles are kept apart, and a token is shown only to the service that gave it", async () => {
    await lucchetto(["sign-in", "office@brina.example", "--password-stdin", "--profile", "office"], {
      input: PASSWORD,
    });
    const office = await lucchetto(["whoami", "--profile", "office", "--json"]);
    expect(JSON.parse(office.out).account.email).toBe("office@brina.example");
    const elsewhere = await lucchetto(["whoami", "--profile", "office", "--url", "http://localhost:1"]);
    expect(elsewhere.err).toContain("Nobody is signed in at http://localhost:1");
  });

  test("what is refused says why and exits 1, with the request's id", async () => {
    const wrong = await lucchetto(["sign-in", "anna@brina.example", "--password-stdin"], {
      input: "a wrong password",
    });
    expect(wrong).toMatchObject({ status: 1, out: "" });
    expect(wrong.err).toMatch(/do not belong together[^]*sign-in-refused, request [0-9a-f-]{36}/);
    const short = await lucchetto(["register", "--email", "nonsense", "--password-stdin"], {
      input: "short",
    });
    expect(short.err).toMatch(/email: This is not an e-mail address[^]*password: Use at least 15/);
    const unreachable = await lucchetto(
      ["sign-in", "anna", "--password-stdin", "--url", "http://localhost:1"],
      { input: "x" },
    );
    expect(unreachable).toMatchObject({ status: 1, err: expect.stringContaining("Is it running?") });
  });
});

describe("as an operator", () => {
  const office = ["--profile", "office"];

  test("account list and show: tables for people, JSON for programs", async () => {
    const list = await lucchetto(["account", "list", ...office]);
    expect(list.out).toMatch(/e-mail +username +name/);
    expect(list.out).toContain("anna@brina.example");
    const found = JSON.parse((await lucchetto(["account", "list", "anna", "--json", ...office])).out);
    expect(found.items).toHaveLength(1);
    const shown = await lucchetto(["account", "show", "anna@brina.example", ...office]);
    expect(shown.out).toMatch(/\$scrypt\$ln=8,r=8,p=1\$/);
    expect(shown.out).toMatch(/└─ cost factor {2}2\^8 = 256 blocks/);
    expect(shown.out).toMatch(/alive +ordinary/);
    expect((await lucchetto(["account", "show", "nobody@brina.example", ...office])).status).toBe(1);
    const asMember = await lucchetto(["account", "list"]);
    expect(asMember).toMatchObject({ status: 1, err: expect.stringContaining("operators-only") });
  });

  test("app add shows the key once and what to paste; list, new-key, retire-key, remove", async () => {
    const added = await lucchetto([
      "app",
      "add",
      "Hut book",
      "--redirect-uri",
      "http://localhost:9999/signed-in",
      ...office,
    ]);
    expect(added.out).toMatch(/client id +hut-book\napp key +lcp_/);
    expect(added.out).toContain('clientId: "hut-book"');
    expect((await lucchetto(["app", "list", ...office])).out).not.toContain("lcp_");
    const fresh = JSON.parse((await lucchetto(["app", "new-key", "hut-book", "--json", ...office])).out);
    expect(fresh.app.keys).toHaveLength(2);
    expect((await lucchetto(["app", "retire-key", "hut-book", fresh.app.keys[0].id, ...office])).status).toBe(
      0,
    );
    const bad = await lucchetto(["app", "add", "X y", "--redirect-uri", "http://evil.test/x", ...office]);
    expect(bad.err).toContain("redirectUris.0: The address must begin with https:// outside loopback.");
    expect((await lucchetto(["app", "remove", "hut-book", ...office])).status).toBe(0);
    expect((await lucchetto(["app", "list", ...office])).out).toContain(
      "No application yet. Run: lucchetto app add",
    );
  });

  test("suspend, restore and label an account; list and end sessions; read the journal", async () => {
    await lucchetto(
      ["register", "--email", "bruno@brina.example", "--password-stdin", "--profile", "bruno"],
      { input: PASSWORD },
    );
    expect((await lucchetto(["account", "label", "bruno@brina.example", "keeper", ...office])).out).toContain(
      "carries: keeper.",
    );
    const alive = JSON.parse(
      (await lucchetto(["session", "list", "--account", "bruno@brina.example", "--json", ...office])).out,
    );
    expect(alive.items).toHaveLength(1);
    expect((await lucchetto(["session", "end", alive.items[0].id, ...office])).out).toContain("ended");
    expect((await lucchetto(["whoami", "--profile", "bruno"])).status).toBe(1);
    expect((await lucchetto(["account", "suspend", "bruno@brina.example", ...office])).out).toContain(
      "is suspended.",
    );
    const refused = await lucchetto(["sign-in", "bruno@brina.example", "--password-stdin"], {
      input: PASSWORD,
    });
    expect(refused.err).toContain("account-suspended");
    expect((await lucchetto(["account", "restore", "bruno@brina.example", ...office])).out).toContain(
      "is active.",
    );
    const journal = await lucchetto(["journal", "list", "--account", "bruno@brina.example", ...office]);
    expect(journal.out).toMatch(/sign-in\.refused +refused: suspended/);
    expect(journal.out).toContain("session.ended-by-operator");
    expect((await lucchetto(["session", "end", "nonsense", ...office])).status).toBe(1);
  });

  test("account add, must-change and erase; records by scheme; notices", async () => {
    const as = (...args: string[]) => lucchetto([...args, "--profile", "office"]);
    const added = await lucchetto(
      [
        "account",
        "add",
        "--email",
        "nora@brina.example",
        "--label",
        "keeper",
        "--label",
        "cook",
        "--password-stdin",
        "--profile",
        "office",
      ],
      { input: PASSWORD },
    );
    expect(added.out).toMatch(/is added[^]*Another password is wanted/);
    const refused = await lucchetto(
      ["sign-in", "nora@brina.example", "--password-stdin", "--profile", "nora"],
      {
        input: PASSWORD,
      },
    );
    expect(refused).toMatchObject({ status: 1, err: expect.stringMatching(/new password is wanted/) });
    expect((await as("account", "must-change", "nora@brina.example", "--no-longer")).out).toMatch(/may keep/);
    expect(
      (
        await lucchetto(["sign-in", "nora@brina.example", "--password-stdin", "--profile", "nora"], {
          input: PASSWORD,
        })
      ).status,
    ).toBe(0);
    const listed = await as("account", "list", "--scheme", "scrypt", "--json");
    expect(JSON.parse(listed.out).items.map((one: { email: string }) => one.email)).toContain(
      "nora@brina.example",
    );
    expect((await as("account", "list", "--scheme", "older")).out).toContain("Nothing matches.");
    const unasked = await as("account", "erase", "nora@brina.example");
    expect(unasked).toMatchObject({ status: 2, err: expect.stringContaining("--yes") });
    expect((await as("account", "erase", "nora@brina.example", "--yes")).out).toMatch(/is erased/);
    expect((await lucchetto(["whoami", "--profile", "nora"])).status).toBe(1);
    expect((await as("delivery", "list")).out).toMatch(/No notices/);
    expect((await as("delivery", "repeat", "0190b6a2-0000-7000-8000-000000000000")).status).toBe(1);
  });

  test("mail list and show: what the mailbox caught, with the link to open", async () => {
    await service.register("post@brina.example");
    await service.client(routes.askForLink, { body: { purpose: "reset", identifier: "post@brina.example" } });
    let listed = await lucchetto(["mail", "list", "--json"]);
    const isReset = () => JSON.parse(listed.out).items[0]?.template === "reset";
    for (let waited = 0; waited < 10 && !isReset(); waited += 1)
      listed = await lucchetto(["mail", "list", "--json"]);
    const [item] = JSON.parse(listed.out).items;
    expect(item).toMatchObject({ to: "post@brina.example", subject: "Choose a new password for Brina Huts" });
    expect((await lucchetto(["mail", "show"])).out).toMatch(/Choose a new password[^]*link#lcl_/);
    expect((await lucchetto(["mail", "list"])).out).toContain(item.id);
    expect((await lucchetto(["mail", "show", "nothing"])).status).toBe(1);
  });

  test("throttle list shows who is held back, and release lets them try again", async () => {
    for (let index = 0; index < 6; index += 1) {
      await lucchetto(["sign-in", "anna@brina.example", "--password-stdin"], { input: "a wrong password" });
    }
    const held = await lucchetto(["throttle", "list", ...office]);
    expect(held.out).toMatch(/account, strange devices +anna@brina\.example +[56] +(waiting|open)/);
    expect((await lucchetto(["throttle", "release", "anna@brina.example", ...office])).out).toContain(
      "released",
    );
    expect((await lucchetto(["throttle", "list", ...office])).out).toContain("Nobody is held back.");
    expect((await lucchetto(["throttle", "release", "anna@brina.example", ...office])).status).toBe(1);
  });

  test("JO-5 text of other people cannot steer the terminal", async () => {
    await service.dataSource.query(
      "UPDATE account SET displayName = ? WHERE emailKey = 'anna@brina.example'",
      ["\u001b[2J\u202eevil\r\nline"],
    );
    const { out } = await lucchetto(["account", "list", ...office]);
    expect(out).not.toMatch(/\u001b|\u202e/);
    expect(out).toContain("\\u001b[2J\\u202eevil\\u000d\\u000aline");
  });
});

describe("hash", () => {
  test("make, check and explain need no service", async () => {
    const env = { LUCCHETTO_URL: "http://localhost:1" };
    const made = await lucchetto(["hash", "make", "--scheme", CHEAP_SCHEME, "--password-stdin"], {
      input: PASSWORD,
      env,
    });
    const record = made.out.trim();
    expect(record).toMatch(/^\$scrypt\$ln=8,r=8,p=1\$/);
    const right = await lucchetto(["hash", "check", record, "--password-stdin"], { input: PASSWORD, env });
    expect(right).toMatchObject({
      status: 0,
      out: expect.stringContaining("older than $scrypt$ln=15,r=8,p=3"),
    });
    expect(
      (await lucchetto(["hash", "check", record, "--password-stdin"], { input: "another", env })).status,
    ).toBe(1);
    const explained = await lucchetto(["hash", "explain", record], { env });
    expect(explained.out).toContain("16 random bytes of this record alone");
    expect(explained.out).not.toContain(record.slice(-20));
    expect(JSON.parse((await lucchetto(["hash", "explain", record, "--json"], { env })).out)).toMatchObject({
      saltBytes: 16,
    });
  });

  test("tune measures, names the one to use as a line of the configuration, and tells how far it is", async () => {
    const tuned = await lucchetto(["hash", "tune", "--target", "30ms", "--scheme", "pbkdf2-sha512"]);
    expect(tuned.status).toBe(0);
    expect(tuned.out).toMatch(/pbkdf2-sha512\$i=\d+ .*ms/);
    expect(tuned.out).toMatch(/present/);
    expect(tuned.err).toMatch(/measuring: \d+ %/);
    const rows = JSON.parse(
      (
        await lucchetto([
          "hash",
          "tune",
          "--target",
          "600ms",
          "--scheme",
          "pbkdf2-sha512",
          "--present",
          CHEAP_SCHEME,
          "--json",
        ])
      ).out,
    ).rows;
    const best = rows.find((row: { recommended: boolean }) => row.recommended);
    expect(best.scheme).toMatch(/^\$pbkdf2-sha512\$i=\d+$/);
    for (const wrong of [
      ["--target", "soon"],
      ["--memory", "64"],
      ["--scheme", "bcrypt-2b"],
      ["--present", "md5"],
    ])
      expect(await lucchetto(["hash", "tune", ...wrong])).toMatchObject({
        status: 2,
        err: expect.stringContaining(wrong[0] ?? ""),
      });
  }, 120_000);

  test("bcrypt's own form is read, and a peppered record is told to belong to the service", async () => {
    const custom = "$2a$10$.eGA.eGA.eGA.eGA.eGA.eBOezD3uY/8o/wtF4J0ApHj4b4bvzJNi";
    expect((await lucchetto(["hash", "explain", custom])).out).toMatch(/bcrypt \(2a\), from another system/);
    expect((await lucchetto(["hash", "check", custom, "--password-stdin"], { input: "hello" })).out).toMatch(
      /The password is the record's[^]*older than/,
    );
    const peppered =
      "$scrypt$ln=4,r=8,p=1,pepper=k1$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaGhhc2hoYXNoaGFzaGhhc2g";
    expect(
      await lucchetto(["hash", "check", peppered, "--password-stdin"], { input: "hello" }),
    ).toMatchObject({
      status: 1,
      err: expect.stringMatching(/peppered under k1/),
    });
    expect(
      (
        await lucchetto(["hash", "make", "--scheme", "$argon2id$v=19$m=64,t=1,p=1", "--password-stdin"], {
          input: "hello you",
        })
      ).out,
    ).toMatch(/^\$argon2id\$v=19\$m=64,t=1,p=1\$/);
  });

  test.each([
    ["a record that the shell has eaten", ["hash", "explain", "=15,r=8,p=3"], /single quotes/],
    [
      "a record above the ceiling",
      ["hash", "explain", "$scrypt$ln=40,r=8,p=1$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
      /limit is 256 MiB/,
    ],
    ["an unknown scheme", ["hash", "make", "--scheme", "$md5$x=1", "--password-stdin"], /"md5" is not known/],
    ["a password without a terminal", ["hash", "make"], /--password-stdin/],
    ["a missing argument", ["hash", "explain"], /missing required argument/],
    ["an unknown command", ["hush"], /unknown command/],
    ["an unknown option", ["whoami", "--nonsense"], /unknown option/],
    ["a password as an argument", ["sign-in", "anna", "--password", "x"], /unknown option/],
    ["an address that is none", ["whoami", "--url", "localhost"], /--url: found "localhost"/],
  ])("%s is wrong usage: exit 2, said plainly", async (_what, args, message) => {
    const run = await lucchetto(args as string[], { input: "x" });
    expect(run).toMatchObject({ status: 2, err: expect.stringMatching(message as RegExp) });
    expect(run.err).not.toMatch(/at .*\.(ts|js):\d+/);
  });

  test("every command's help shows an example", async () => {
    const commands = [
      ["serve"],
      ["schema", "status"],
      ["schema", "apply"],
      ["check"],
      ["operator", "add"],
      ["keys", "list"],
      ["keys", "add"],
      ["keys", "promote"],
      ["keys", "retire"],
      ["account", "suspend"],
      ["account", "restore"],
      ["account", "label"],
      ["session", "list"],
      ["session", "end"],
      ["journal", "list"],
      ["throttle", "list"],
      ["throttle", "release"],
      ["clock", "show"],
      ["clock", "advance"],
      ["clock", "reset"],
      ["register"],
      ["sign-in"],
      ["whoami"],
      ["sign-out"],
      ["account", "list"],
      ["account", "show"],
      ["app", "add"],
      ["app", "list"],
      ["app", "remove"],
      ["app", "new-key"],
      ["app", "retire-key"],
      ["hash", "make"],
      ["hash", "check"],
      ["hash", "explain"],
      ["hash", "tune"],
      ["password-list", "build"],
      ["account", "add"],
      ["account", "erase"],
      ["account", "must-change"],
      ["mail", "list"],
      ["mail", "show"],
      ["mail", "repeat"],
      ["mail", "template"],
      ["account", "invite"],
      ["delivery", "list"],
      ["delivery", "repeat"],
      ["setup"],
    ];
    const helps = await Promise.all(commands.map((command) => lucchetto([...command, "--help"])));
    for (const [index, help] of helps.entries()) {
      expect({ command: commands[index], status: help.status }).toEqual({
        command: commands[index],
        status: 0,
      });
      expect(help.out).toMatch(/Examples?:\n {2}lucchetto /);
    }
  }, 120_000);
});

describe("for the one who runs it", () => {
  const withPassword = () => ({ env: { LUCCHETTO_DATABASE_PASSWORD: service.database.password } });
  const config = () => ["--config", service.configFile];

  test("schema status, apply and check say what is there", async () => {
    const status = await lucchetto(["schema", "status", ...config()], withPassword());
    expect(status).toMatchObject({
      status: 0,
      out: expect.stringContaining("The schema is the one this version knows."),
    });
    expect((await lucchetto(["schema", "apply", ...config()], withPassword())).out).toContain(
      "Nothing to do",
    );
    const check = await lucchetto(["check", "--json", ...config()], withPassword());
    const { findings } = JSON.parse(check.out) as { findings: Array<{ subject: string; verdict: string }> };
    expect(Object.fromEntries(findings.map(({ subject, verdict }) => [subject, verdict]))).toMatchObject({
      configuration: "ok",
      database: "ok",
      schema: "ok",
      "password rules": "ok",
      "password hashing": "warning",
    });
    const wrong = await lucchetto(["check", ...config()]);
    expect(wrong).toMatchObject({
      status: 1,
      out: expect.stringMatching(/wrong +database .*password is wrong|wrong +database/),
    });
  });

  test("check warns of a production service that trusts no proxy", async () => {
    const { env } = withPassword();
    const production = {
      ...env,
      LUCCHETTO_MODE: "production",
      LUCCHETTO_PUBLIC_URL: "https://accounts.example",
      LUCCHETTO_PASSWORDS_HASHING_SCHEME: "$scrypt$ln=15,r=8,p=3",
      LUCCHETTO_MAIL_VIA: "none",
    };
    const alone = await lucchetto(["check", ...config()], { env: production });
    expect(alone.out).toMatch(/warning +proxies .*trustedProxies: \[127\.0\.0\.1\]/);
    const behind = { ...production, LUCCHETTO_TRUSTED_PROXIES: "[127.0.0.1]" };
    expect((await lucchetto(["check", ...config()], { env: behind })).out).not.toContain("proxies");
    const half = { ...behind, LUCCHETTO_PROXY_CHECK_CLIENT_ID: "brina-site" };
    expect((await lucchetto(["check", ...config()], { env: half })).out).toMatch(
      /wrong +proxy check +.*proxies: \[127\.0\.0\.1\]/,
    );
    const whole = { ...half, LUCCHETTO_PROXY_CHECK_PROXIES: "[127.0.0.1]" };
    expect((await lucchetto(["check", ...config()], { env: whole })).out).toMatch(
      /wrong +proxy check +.*brina-site, which no application has/,
    );
  });

  test("serve refuses a schema that it does not know, naming the mend; it runs on the right one and ends on SIGTERM", async () => {
    const env = {
      LUCCHETTO_DATABASE_PASSWORD: service.database.password,
      LUCCHETTO_LISTEN_PORT: String(await freePort()),
    };
    await service.dataSource.query(
      "INSERT INTO schema_migration (timestamp, name) VALUES (9, 'FromTheFuture9')",
    );
    const refused = await lucchetto(["serve", ...config()], { env });
    expect(refused).toMatchObject({ status: 1, err: expect.stringContaining("FromTheFuture9") });
    await service.dataSource.query("DELETE FROM schema_migration WHERE name = 'FromTheFuture9'");

    const child = spawn(process.execPath, [COMMAND, "serve", ...config()], {
      env: { PATH: process.env["PATH"] ?? "", ...env },
    });
    let out = "";
    await new Promise<void>((resolve) => {
      child.stdout.on("data", (chunk) => {
        out += chunk;
        if (out.includes("is at http")) resolve();
      });
    });
    expect((await fetch(`http://127.0.0.1:${env.LUCCHETTO_LISTEN_PORT}/readyz`)).status).toBe(200);
    child.kill("SIGTERM");
    expect(await new Promise((resolve) => child.once("close", resolve))).toBe(0);
  });

  test("a wrong configuration is told whole, without a stack", async () => {
    const file = join(home, "wrong.yaml");
    writeFileSync(file, "mode: prod\npublicUrl: 8420\n");
    const run = await lucchetto(["serve", "--config", file]);
    expect(run.status).toBe(1);
    expect(run.err).toMatch(/mode: found "prod", expected development or production/);
    expect(run.err).toMatch(/publicUrl: found 8420/);
    expect(run.err).toMatch(/database/);
    expect(run.err).not.toMatch(/at .*\.(ts|js):\d+/);
    expect((await lucchetto(["serve", "--config", "/nowhere.yaml"])).status).toBe(2);
  });

  test("operator add makes somebody who may use the console", async () => {
    const args = [
      "operator",
      "add",
      "--email",
      "second@brina.example",
      "--name",
      "Second",
      "--password-stdin",
      ...config(),
    ];
    expect((await lucchetto(args, { input: PASSWORD, ...withPassword() })).out).toContain(
      "is an operator now",
    );
    const again = await lucchetto(args, { input: PASSWORD, ...withPassword() });
    expect(again).toMatchObject({ status: 1, err: expect.stringContaining("has an account already") });
    await lucchetto(["sign-in", "second@brina.example", "--password-stdin", "--profile", "second"], {
      input: PASSWORD,
    });
    expect((await lucchetto(["account", "list", "--profile", "second"])).status).toBe(0);
  });

  test("PW-21 keys add, promote and retire change the ring's file, and never show a key", async () => {
    const file = join(home, "with-keys.yaml");
    const configuration = JSON.parse(readFileSync(service.configFile, "utf8"));
    writeFileSync(file, JSON.stringify({ ...configuration, keys: { file: "ring.yaml" } }));
    const keys = (...args: string[]) =>
      lucchetto(["keys", ...args, "--config", file, "--json"], withPassword());
    expect(JSON.parse((await keys("list")).out)).toMatchObject({ current: null, ids: [] });
    expect(JSON.parse((await keys("add")).out)).toMatchObject({ current: "k1", ids: ["k1"] });
    expect(JSON.parse((await keys("add")).out)).toMatchObject({ current: "k1", ids: ["k1", "k2"] });
    expect(await keys("retire", "k1")).toMatchObject({
      status: 1,
      err: expect.stringContaining("promote another first"),
    });
    expect(JSON.parse((await keys("promote", "k2")).out)).toMatchObject({ current: "k2" });
    await service.dataSource.query("UPDATE password_record SET scheme = CONCAT(scheme, ',pepper=k1')");
    expect(await keys("retire", "k1")).toMatchObject({
      status: 1,
      err: expect.stringMatching(/\d+ password records? (is|are) peppered under k1/),
    });
    await service.dataSource.query("UPDATE password_record SET scheme = REPLACE(scheme, ',pepper=k1', '')");
    // The tests' service seals its mails under a key of the same name.
    expect(await keys("retire", "k1")).toMatchObject({
      status: 1,
      err: expect.stringMatching(/\d+ mails? (is|are) sealed under k1/),
    });
    await service.dataSource.query("DELETE FROM mail");
    const last = await keys("retire", "k1");
    expect(JSON.parse(last.out)).toMatchObject({ ids: ["k2"] });
    expect(await keys("promote", "k9")).toMatchObject({
      status: 1,
      err: expect.stringContaining("no key k9"),
    });
    const ring = readFileSync(join(home, "ring.yaml"), "utf8");
    expect(statSync(join(home, "ring.yaml")).mode & 0o777).toBe(0o600);
    expect(last.out).not.toContain(/k2: (\S+)/.exec(ring)?.[1] ?? "nothing");
  });

  test("clock show, advance and reset move the service's clock", async () => {
    expect((await lucchetto(["clock", "advance", "31m"])).out).toContain("1860 s ahead");
    expect(JSON.parse((await lucchetto(["clock", "show", "--json"])).out)).toMatchObject({
      movedBy: 1_860_000,
    });
    expect((await lucchetto(["clock", "reset"])).out).toContain("not moved");
    expect((await lucchetto(["clock", "advance", "soon"])).status).toBe(2);
  });
});
