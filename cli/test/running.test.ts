import { spawn } from "node:child_process";
import { mkdtempSync, writeFileSync } from "node:fs";
import { connect, createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { CommandLine } from "../../testing/command.ts";
import { COMMAND, commandLine, runCommand } from "../../testing/command.ts";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, PASSWORD, PRODUCTION_SCHEME } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

let service: TestService;
let home: string;
let lucchetto: CommandLine;
beforeAll(async () => {
  service = await startShipped({ byCommand: true });
  await service.operator();
  home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
  lucchetto = commandLine(home, service);
});
afterAll(() => service.stop());

describe("for the one who runs it", () => {
  const withPassword = () => ({ env: { LUCCHETTO_DATABASE_PASSWORD: service.database.password } });
  const config = () => ["--config", service.configFile];

  test("schema status, apply and check say what is there", async () => {
    const status = await lucchetto(["schema", "status", ...config()], withPassword());
    expect(status).toMatchObject({
      status: 0,
      out: expect.stringContaining("The schema is up to date."),
    });
    expect((await lucchetto(["schema", "apply", ...config()], withPassword())).out).toContain(
      "Nothing to do",
    );
    const check = await lucchetto(["check", "--json", ...config()], withPassword());
    const { findings } = JSON.parse(check.out) as {
      findings: Array<{ subject: string; verdict: string; detail: string }>;
    };
    expect(findings[0]).toMatchObject({ subject: "mode", detail: expect.stringMatching(/^development: /) });
    expect(Object.fromEntries(findings.map(({ subject, verdict }) => [subject, verdict]))).toMatchObject({
      configuration: "ok",
      database: "ok",
      schema: "ok",
      "password rules": "ok",
    });
    // Whether that is too fast depends on the machine.
    const hashing = findings.find(({ subject }) => subject === "password hashing");
    expect(hashing?.detail).toMatch(/^\$scrypt\$ln=8,r=8,p=1 takes about \d+ ms on this machine/);
    const wrong = await lucchetto(["check", ...config()]);
    expect(wrong).toMatchObject({
      status: 1,
      out: expect.stringMatching(/wrong +database .*password is wrong|wrong +database/),
    });
  });

  test("S13 check names what is most likely not meant: networks wider than one's own, empty secrets; a wrong one has its mode first", async () => {
    const { env } = withPassword();
    const wide = {
      ...env,
      LUCCHETTO_TRUSTED_PROXIES: "['0.0.0.0/0', 10.0.0.0/8]",
      LUCCHETTO_METRICS_FROM: "['::/0']",
      LUCCHETTO_WEBHOOKS_SECRET: "",
    };
    const { status, out } = await lucchetto(["check", ...config()], { env: wide });
    expect(status).toBe(0);
    expect(out).toMatch(/warning +configuration +trustedProxies: 0\.0\.0\.0\/0 is wider than/);
    expect(out).toMatch(/warning +configuration +metrics\.from: ::\/0 is wider than/);
    expect(out).toMatch(/warning +configuration +LUCCHETTO_WEBHOOKS_SECRET: it is set and empty/);
    expect(out).not.toContain("10.0.0.0/8 is wider");
    const wrong = await lucchetto(["check", ...config()], {
      env: { ...env, LUCCHETTO_PUBLIC_URL: "http://accounts.lan.example" },
    });
    expect(wrong.out).toMatch(/^ok +mode +development[^\n]*\nwrong +configuration +publicUrl: found http/);
    // An empty password is none: the file still counts.
    const file = join(home, "database-password");
    writeFileSync(file, service.database.password, { mode: 0o600 });
    const empty = { LUCCHETTO_DATABASE_PASSWORD: "", LUCCHETTO_DATABASE_PASSWORD_FILE: file };
    const filed = await lucchetto(["check", ...config()], { env: empty });
    expect(filed.out).toMatch(/ok +database/);
    expect(filed.out).toMatch(/warning +configuration +LUCCHETTO_DATABASE_PASSWORD: /);
  });

  test("check warns of a production service that trusts no proxy", async () => {
    const { env } = withPassword();
    const production = {
      ...env,
      LUCCHETTO_MODE: "production",
      LUCCHETTO_PUBLIC_URL: "https://accounts.example",
      LUCCHETTO_PASSWORDS_HASHING_SCHEME: PRODUCTION_SCHEME,
      LUCCHETTO_MAIL_VIA: "none",
    };
    const half = { ...production, LUCCHETTO_PROXY_CHECK_CLIENT_ID: "brina-site" };
    const alone = await lucchetto(["check", ...config()], { env: half });
    expect(alone.out).toMatch(/warning +proxies .*trustedProxies: \[127\.0\.0\.1\]/);
    expect(alone.out).toMatch(/wrong +proxy check +.*proxies: \[127\.0\.0\.1\]/);
    const behind = {
      ...half,
      LUCCHETTO_TRUSTED_PROXIES: "[127.0.0.1]",
      LUCCHETTO_PROXY_CHECK_PROXIES: "[127.0.0.1]",
      LUCCHETTO_LANDINGS_AFTER_SIGN_IN: "app:hut-book",
    };
    const { out } = await lucchetto(["check", ...config()], { env: behind });
    expect(out).toMatch(
      /wrong +landings +landings\.afterSignIn is app:hut-book, but there is no such application/,
    );
    expect(out).not.toMatch(/warning +proxies/);
    expect(out).toMatch(/wrong +proxy check +.*brina-site, but there is no such application/);
  });

  test("serve refuses a schema that it does not know, naming the remedy; it runs on the right one and ends on SIGTERM", async () => {
    const env = {
      LUCCHETTO_DATABASE_PASSWORD: service.database.password,
      LUCCHETTO_LISTEN_PORT: String(await freePort()),
    };
    await service.dataSource.query(
      "INSERT INTO schema_migration (timestamp, name) VALUES (9, 'FromTheFuture9')",
    );
    const refused = await runCommand(home, ["serve", ...config()], { env });
    expect(refused).toMatchObject({ status: 1, err: expect.stringContaining("FromTheFuture9") });
    await service.dataSource.query("DELETE FROM schema_migration WHERE name = 'FromTheFuture9'");

    const child = spawn(process.execPath, [COMMAND, "serve", ...config()], {
      env: { PATH: process.env["PATH"] ?? "", ...env },
    });
    let out = "";
    await new Promise<void>((resolve) => {
      child.stdout.on("data", (chunk) => {
        out += chunk;
        if (out.includes("is running at http")) resolve();
      });
    });
    expect((await fetch(`http://127.0.0.1:${env.LUCCHETTO_LISTEN_PORT}/readyz`)).status).toBe(200);
    // A second one on the same port ends, and says which.
    const second = await runCommand(home, ["serve", ...config()], { env });
    expect(second).toMatchObject({ status: 1, err: expect.stringContaining("listen.port") });
    expect(second.err).toContain(env.LUCCHETTO_LISTEN_PORT);
    child.kill("SIGTERM");
    expect(await new Promise((resolve) => child.once("close", resolve))).toBe(0);
  });

  test("serve waits for a database that is not there yet, and says so; or ends, where that is wanted", async () => {
    const databasePort = await freePort();
    const url = new URL(service.database.url);
    const to = Number(url.port);
    url.port = String(databasePort);
    const env = {
      LUCCHETTO_DATABASE_PASSWORD: service.database.password,
      LUCCHETTO_DATABASE_URL: url.href,
      LUCCHETTO_LISTEN_PORT: String(await freePort()),
    };
    const ended = await runCommand(home, ["serve", ...config()], {
      env: { ...env, LUCCHETTO_DATABASE_AT_START: "fail" },
    });
    expect(ended).toMatchObject({ status: 1, err: expect.stringContaining("nothing listens there") });
    const child = spawn(process.execPath, [COMMAND, "serve", ...config()], {
      env: { PATH: process.env["PATH"] ?? "", ...env },
    });
    let out = "";
    const says = (what: string) =>
      new Promise<void>((resolve) => {
        child.stdout.on("data", (chunk) => {
          out += chunk;
          if (out.includes(what)) resolve();
        });
      });
    await says("Waiting for it");
    expect(out).toContain("nothing listens there");
    const isUp = says("is running at http");
    const database = createServer((client) => {
      const there = connect(to, "127.0.0.1");
      client.pipe(there).pipe(client);
      for (const side of [client, there]) side.on("error", () => undefined);
    }).listen(databasePort, "127.0.0.1");
    await isUp;
    child.kill("SIGTERM");
    expect(await new Promise((resolve) => child.once("close", resolve))).toBe(0);
    database.close();
  });

  test("a signal that comes twice ends it once, and it does not outlive the command that started it", async () => {
    const start = async () => {
      const child = spawn(process.execPath, [COMMAND, "serve", ...config()], {
        detached: true,
        env: {
          PATH: process.env["PATH"] ?? "",
          LUCCHETTO_DATABASE_PASSWORD: service.database.password,
          LUCCHETTO_LISTEN_PORT: String(await freePort()),
          LUCCHETTO_LISTEN_GRACE: "1s",
        },
      });
      let out = "";
      child.stdout.on("data", (chunk) => (out += chunk));
      // Nobody holds its output any more: the command and the service have ended.
      const ended = new Promise((resolve) => child.once("close", () => resolve(out)));
      await eventually(() => out.includes("is running at http"));
      return { child, ended };
    };
    const told = await start();
    // As supervisors do: to all processes, of which one passes it on.
    process.kill(-(told.child.pid ?? 0), "SIGTERM");
    expect(await told.ended).toMatch(/Stopping[\s\S]*Stopped/);
    expect(told.child.exitCode).toBe(0);
    const left = await start();
    left.child.kill("SIGKILL");
    expect(await left.ended).toMatch(/Stopping[\s\S]*Stopped/);
  });

  test("a wrong configuration is told whole, without a stack", async () => {
    const file = join(home, "wrong.yaml");
    writeFileSync(file, "mode: prod\npublicUrl: 8420\n");
    const run = await runCommand(home, ["serve", "--config", file]);
    expect(run.status).toBe(1);
    expect(run.err).toMatch(/mode: found "prod", expected development or production/);
    expect(run.err).toMatch(/publicUrl: found 8420/);
    expect(run.err).toMatch(/database/);
    expect(run.err).not.toMatch(/at .*\.(ts|js):\d+/);
    expect((await runCommand(home, ["serve", "--config", "/nowhere.yaml"])).status).toBe(2);
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
      "is now an operator",
    );
    const again = await lucchetto(args, { input: PASSWORD, ...withPassword() });
    expect(again).toMatchObject({ status: 1, err: expect.stringContaining("has an account already") });
    await lucchetto(["sign-in", "second@brina.example", "--password-stdin", "--profile", "second"], {
      input: PASSWORD,
    });
    expect((await lucchetto(["account", "list", "--profile", "second"])).status).toBe(0);
  });

  test("clock show, advance and reset move the service's clock", async () => {
    expect((await lucchetto(["clock", "advance", "31m"])).out).toContain("1860 s ahead");
    expect(JSON.parse((await lucchetto(["clock", "show", "--json"])).out)).toMatchObject({
      movedBy: 1_860_000,
    });
    // What ended by it says so.
    expect(await lucchetto(["account", "list", "--profile", "second"])).toMatchObject({
      status: 1,
      err: expect.stringContaining("the service's clock was moved 31 minutes ahead"),
    });
    expect((await lucchetto(["clock", "reset"])).out).toMatch(/moved by +nothing/);
    expect((await lucchetto(["clock", "advance", "soon"])).status).toBe(2);
  });
});
