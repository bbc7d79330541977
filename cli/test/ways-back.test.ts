/** What an operator does for somebody who lost everything, and what is done for the last operator. */
import { spawn } from "node:child_process";
import { randomBytes } from "node:crypto";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { CommandLine } from "../../testing/command.ts";
import { COMMAND, commandLine } from "../../testing/command.ts";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, send } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { codeOf, mailTo, registerProved, Visitor } from "../../testing/visitor.ts";

const MINUTE = 60_000;
const FIRST = "a first password from the counter";
const MINE = "moss on the north side of the hut";
const reason = "showed an identity card at the counter";

let service: TestService;
let home: string;
let lucchetto: CommandLine;
beforeAll(async () => {
  service = await startShipped();
  home = mkdtempSync(join(tmpdir(), "lucchetto-back-"));
  lucchetto = commandLine(home, service);
  await service.operator();
  await lucchetto(["sign-in", "office@brina.example", "--password-stdin"], { input: PASSWORD });
});
afterAll(() => service.stop());

async function somebody(name: string, { proved = true } = {}) {
  const email = `${name}@brina.example`;
  const { id, token } = await (proved ? registerProved(service, email) : service.register(email));
  return { id, email, token };
}
const password = (identifier: string, typed: string) => ({
  proof: { type: "password", identifier, password: typed },
});

describe("an operator's help", () => {
  test("RC-8 RC-11 remove-factor, correct-email and first-password want a reason, and say what follows", async () => {
    const { email, token } = await somebody("anna");
    await enrolAuthenticator(service, token, {});
    const without = await lucchetto(["account", "remove-factor", email]);
    expect(without).toMatchObject({ status: 2, err: expect.stringContaining("--reason") });
    const removed = await lucchetto(["account", "remove-factor", email, "--reason", reason]);
    expect(removed).toMatchObject({
      status: 0,
      out: expect.stringMatching(/no longer has a second factor[^]*click in a mail/),
    });
    const again = await lucchetto(["account", "remove-factor", email, "--reason", reason]);
    expect(again).toMatchObject({ status: 1, err: expect.stringContaining("second-factor-missing") });
    // The command itself shows the mailed proof that is wanted then.
    const waits = lucchetto(["sign-in", email, "--password-stdin", "--profile", "anna"], {
      input: `${PASSWORD}\n`,
    });
    expect((await waits).err).toContain("A mail is on its way");

    const fixed = "anna.fixed@brina.example";
    const corrected = await lucchetto(["account", "correct-email", email, fixed, "--reason", reason]);
    expect(corrected.out).toMatch(/is now anna\.fixed@brina\.example[^]*can undo this for 7 days/);
    const wrong = await lucchetto(["account", "correct-email", fixed, "nonsense", "--reason", reason]);
    expect(wrong).toMatchObject({ status: 1, err: expect.stringContaining("not an e-mail address") });

    const given = await lucchetto(
      ["account", "first-password", fixed, "--password-stdin", "--reason", reason],
      { input: FIRST },
    );
    expect(given.out).toContain("within 7 days");
    const journal = await lucchetto(["journal", "list", "--account", fixed]);
    expect(journal.out).toContain(reason);
  });

  test("OP-1 a proof that is wanted is asked for in place, on a terminal or as lines of standard input", async () => {
    const { email } = await somebody("bruno");
    await service.clock.advance(11 * MINUTE);
    const nobodyAsks = await lucchetto(["account", "label", email, "keeper"]);
    expect(nobodyAsks).toMatchObject({
      status: 1,
      err: expect.stringMatching(/ten minutes[^]*--proof-stdin/),
    });
    const wrong = await lucchetto(["account", "label", email, "keeper", "--proof-stdin"], {
      input: "no password\n",
    });
    expect(wrong).toMatchObject({ status: 1, err: expect.stringContaining("not your password") });
    const proved = await lucchetto(["account", "label", email, "keeper", "--proof-stdin"], {
      input: `${PASSWORD}\n`,
    });
    expect(proved).toMatchObject({ status: 0, out: expect.stringContaining("now has: keeper.") });
    // The new token is kept: the next command goes on with it.
    expect((await lucchetto(["account", "label", email])).status).toBe(0);
    await service.clock.advance(11 * MINUTE);
    const asked = await onTerminal(["account", "label", email, "cook"], PASSWORD);
    expect(asked).toMatch(/confirm that it is you[^]*now has: cook\./);
    await service.clock.reset();
  });
});

/** Runs the command on a terminal of its own and answers its one question. */
function onTerminal(args: readonly string[], answer: string): Promise<string> {
  return new Promise((resolve) => {
    const command = [process.execPath, COMMAND, ...args].map((one) => `'${one}'`).join(" ");
    const child = spawn("script", ["-qec", command, "/dev/null"], {
      env: {
        PATH: process.env["PATH"] ?? "",
        HOME: home,
        XDG_CONFIG_HOME: home,
        TERM: "xterm",
        LUCCHETTO_URL: service.url,
      },
    });
    let out = "";
    let typed: NodeJS.Timeout | null = null;
    child.stdout.on("data", (chunk: Buffer) => {
      out += chunk.toString().replace(/\u001b\[[0-9;?]*[A-Za-z]/g, "");
      // What is typed before the prompt listens is lost: typed again until something comes of it.
      if (typed === null && out.includes("Your password"))
        typed = setInterval(() => child.stdin.write(`${answer}\r`), 1_000);
      if (out.includes("carries")) clearInterval(typed ?? undefined);
    });
    child.once("close", () => {
      clearInterval(typed ?? undefined);
      resolve(out);
    });
  });
}

describe("the last operator", () => {
  const rescue = (
    more: Record<string, string> = {},
    config = service.configFile,
    email = "office@brina.example",
  ) =>
    lucchetto(["operator", "rescue", "--email", email, "--password-stdin", "--config", config], {
      input: FIRST,
      env: { LUCCHETTO_DATABASE_PASSWORD: service.database.password, ...more },
    });

  test("RC-11 is let in again beside the key ring alone; journalled, and told to all", async () => {
    const second = await somebody("second");
    await service.as(await service.operator())(routes.changeAccount, {
      params: { id: second.id },
      body: { labels: ["operator"] },
    });
    const { token } = await enrolAuthenticator(service, await service.operator(), {});

    const elsewhere = join(home, "elsewhere.yaml");
    writeFileSync(
      elsewhere,
      JSON.stringify({
        mode: "development",
        publicUrl: service.url,
        database: { url: service.database.url },
      }),
    );
    const noRing = await rescue({}, elsewhere);
    expect(noRing).toMatchObject({ status: 1, err: expect.stringContaining("keys.file") });
    writeFileSync(
      join(home, "other.yaml"),
      JSON.stringify({ current: "k1", keys: { k1: randomBytes(32).toString("base64url") } }),
      { mode: 0o600 },
    );
    writeFileSync(
      elsewhere,
      JSON.stringify({
        mode: "development",
        publicUrl: service.url,
        database: { url: service.database.url },
        keys: { file: "other.yaml" },
      }),
    );
    expect(await rescue({}, elsewhere)).toMatchObject({
      status: 1,
      err: expect.stringContaining("not the key ring"),
    });
    expect(await rescue({}, service.configFile, "anna.fixed@brina.example")).toMatchObject({
      status: 1,
      err: expect.stringContaining("is no operator here"),
    });

    const rescued = await rescue();
    expect(rescued).toMatchObject({ status: 0, err: "" });
    expect(rescued.out).toMatch(/can sign in with this password once[^]*second factor was removed/);
    const old = await send(service, "GET", "/v1/session", { headers: { authorization: `Bearer ${token}` } });
    expect(old.status).toBe(401);
    const office = new Visitor(service);
    expect(codeOf(await office.post("/v1/sign-in", password("office@brina.example", PASSWORD)))).toBe(
      "sign-in-refused",
    );
    await office.post("/v1/sign-in", password("office@brina.example", FIRST));
    const done = await office.post("/v1/sign-in/proof", { proof: { type: "new-password", password: MINE } });
    expect(done.json()).toMatchObject({ outcome: "signed-in", account: { labels: ["operator"] } });
    for (const to of [second.email, "office@brina.example"])
      expect((await mailTo(service, to, "operators-told")).subject).toContain("let in again on the server");
    const [entry] = await service.dataSource.query(
      "SELECT 1 FROM journal_entry WHERE kind = 'operator.rescued'",
    );
    expect(entry).toBeDefined();
  });
});
