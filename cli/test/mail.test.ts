import { spawn } from "node:child_process";
import { mkdirSync, mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Run, RunOptions } from "../../testing/command.ts";
import { callCommand } from "../../testing/command.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { mailsTo, mailTo, secretOf, Visitor } from "../../testing/visitor.ts";

const COMMAND = fileURLToPath(new URL("../bin/lucchetto.js", import.meta.url));
let service: TestService;
let home: string;
beforeAll(async () => {
  service = await startShipped();
  await service.operator();
  home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
  await lucchetto(["sign-in", "office@brina.example", "--password-stdin"], { input: PASSWORD });
});
afterAll(() => service.stop());

function lucchetto(args: readonly string[], options: RunOptions = {}): Promise<Run> {
  return callCommand(home, args, { ...options, env: { LUCCHETTO_URL: service.url, ...options.env } });
}

describe("inviting", () => {
  test("one by one; inviting again sends a new link", async () => {
    const invite = ["account", "invite", "petra@brina.example", "--name", "Petra Sasso", "--label", "keeper"];
    expect((await lucchetto(invite)).out).toMatch(/^petra@brina\.example: invited \([0-9a-f-]{36}\)\n$/);
    expect((await lucchetto(invite)).out).toContain("a new link was sent");
    expect(await mailsTo(service, "petra@brina.example")).toHaveLength(2);
    expect((await lucchetto(["account", "invite"])).status).toBe(2);
  });

  test("many from a CSV: a line of report for each, and what is refused does not keep the others back", async () => {
    const file = join(home, "guests.csv");
    writeFileSync(
      file,
      '\ufeffemail,name,labels,language\nquirin@brina.example,"Quirin ""Q"" Bosco",keeper; hut,it\nnot an address,Nobody,,\noffice@brina.example,Office,,\nrosa@brina.example,"Rosa, of the lake",,en\n',
    );
    const run = await lucchetto(["account", "invite", "--from", file]);
    expect(run.status).toBe(1);
    expect(run.out.trimEnd().split("\n")).toEqual([
      expect.stringMatching(/^1\/4 {2}line 2: quirin@brina\.example: invited/),
      expect.stringMatching(
        /^2\/4 {2}line 3: not an address: refused \(email: This is not an e-mail address/,
      ),
      expect.stringMatching(
        /^3\/4 {2}line 4: office@brina\.example: refused \(email: There is already an account with this address/,
      ),
      expect.stringMatching(/^4\/4 {2}line 5: rosa@brina\.example: invited/),
    ]);
    expect(run.err).toContain("2 of 4 could not be invited.");
    expect(await mailTo(service, "quirin@brina.example", "invite")).toMatchObject({ language: "it" });
    const again = await lucchetto(["account", "invite", "--from", file, "--resume", "--json"]);
    expect(JSON.parse(again.out).items.map(({ outcome }: { outcome: string }) => outcome)).toEqual([
      "there",
      "refused",
      "there",
      "there",
    ]);
  });

  test.each([
    ["e-mail\nx@brina.example\n", /no such column: e-mail/],
    ["", /expected a header line/],
    ['email\n"x@brina.example\n', /guests-wrong\.csv: .*[Qq]uote/],
    ["email,language\nx@brina.example,de\n", /line 2: found language "de", expected en or it/],
    [Buffer.from([0x65, 0xff]), /is not UTF-8/],
  ])("a file that cannot be read is told before anybody is invited: %j", async (text, message) => {
    const file = join(home, "guests-wrong.csv");
    writeFileSync(file, text);
    const run = await lucchetto(["account", "invite", "--from", file]);
    expect(run.status).toBe(2);
    expect(run.err).toMatch(message);
  });
});

describe("signing in by mail", () => {
  test("LI-13 the code that the link shows elsewhere signs the command in", async () => {
    await service.register("anna@brina.example");
    const child = spawn(process.execPath, [COMMAND, "sign-in", "anna@brina.example", "--by-mail"], {
      env: { ...process.env, LUCCHETTO_URL: service.url, LUCCHETTO_PROFILE: "anna", XDG_CONFIG_HOME: home },
    });
    let out = "";
    child.stdout.on("data", (part: Buffer) => (out += part.toString()));
    const ended = new Promise((resolve) => child.once("close", resolve));
    const secret = secretOf(await mailTo(service, "anna@brina.example", "sign-in"));
    const swapped = await new Visitor(service).post("/v1/mail-links/redeem", { secret });
    child.stdin.end(`${swapped.json<{ code: string }>().code}\n`);
    expect(await ended).toBe(0);
    expect(out).toContain("level 1: mail");
  });
});

describe("templates and the mail server", () => {
  test("a template is printed to begin with, and an operator's broken one is named by check", async () => {
    const printed = await lucchetto(["mail", "template", "reset", "--language", "it"]);
    expect(printed.out).toMatch(/^Subject: Scegli una nuova password/);
    expect((await lucchetto(["mail", "template"])).out).toContain("email-changed");
    expect((await lucchetto(["mail", "template", "nothing"])).status).toBe(2);
    const folder = join(home, "mails");
    mkdirSync(folder);
    writeFileSync(join(folder, "reset.it.txt"), printed.out.replace("{{link}}", "{{lnk}}"));
    const env = { LUCCHETTO_MAIL_TEMPLATES: folder, LUCCHETTO_DATABASE_PASSWORD: service.database.password };
    const check = await lucchetto(["check", "--config", service.configFile], { env });
    expect(check.status).toBe(1);
    expect(check.out).toMatch(/wrong .*reset\.it\.txt: line 5: there is no \{\{lnk\}\}/);
  });

  test("check says that the mail server does not answer", async () => {
    const env = {
      LUCCHETTO_MAIL_SMTP_URL: `smtp://127.0.0.1:${await freePort()}`,
      LUCCHETTO_MAIL_FROM: "huts@brina.example",
      LUCCHETTO_DATABASE_PASSWORD: service.database.password,
    };
    const check = await lucchetto(["check", "--config", service.configFile], { env });
    expect(check.status).toBe(1);
    expect(check.out).toMatch(/wrong +mail +127\.0\.0\.1:\d+ does not accept mail: .*ECONNREFUSED/);
  });
});
