import { spawn } from "node:child_process";
import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { stripVTControlCharacters } from "node:util";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { CommandLine } from "../../testing/command.ts";
import { COMMAND, commandLine } from "../../testing/command.ts";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

let service: TestService;
let home: string;
let lucchetto: CommandLine;
beforeAll(async () => {
  service = await startShipped();
  await service.operator();
  home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
  lucchetto = commandLine(home, service);
  await service.register("anna@brina.example");
  const asOffice = ["sign-in", "office@brina.example", "--password-stdin", "--profile", "office"];
  await lucchetto(asOffice, { input: PASSWORD });
  await lucchetto(["sign-in", "anna@brina.example", "--password-stdin"], { input: PASSWORD });
});
afterAll(() => service.stop());

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
      "--rights",
      "accounts",
      ...office,
    ]);
    expect(added.out).toMatch(/client id +hut-book\napp key +lcp_/);
    expect(added.out).toContain('clientId: "hut-book"');
    expect((await lucchetto(["app", "list", ...office])).out).not.toContain("lcp_");
    const fresh = JSON.parse((await lucchetto(["app", "new-key", "hut-book", "--json", ...office])).out);
    expect(fresh.app.keys).toHaveLength(2);
    expect(fresh.app.rights).toEqual(["accounts"]);
    expect((await lucchetto(["app", "list", ...office])).out).toMatch(/may .*\n.* accounts /);
    const unknown = await lucchetto([
      "app",
      "add",
      "X",
      "--redirect-uri",
      "http://localhost:1/x",
      "--rights",
      "all",
    ]);
    expect(unknown).toMatchObject({ status: 2, err: expect.stringContaining("Allowed: accounts.") });
    expect((await lucchetto(["app", "retire-key", "hut-book", fresh.app.keys[0].id, ...office])).status).toBe(
      0,
    );
    const bad = await lucchetto(["app", "add", "X y", "--redirect-uri", "http://evil.test/x", ...office]);
    expect(bad.err).toContain("--redirect-uri: The address must begin with https:// outside loopback.");
    const away = await lucchetto(["app", "change", "hut-book", "--home", "http://evil.test/", ...office]);
    expect(away.err).toContain("--home: The address must begin with https:// outside loopback.");
    const shown = await lucchetto(["app", "show", "hut-book", ...office]);
    expect(shown.out).toContain(fresh.app.keys[1].id);
    expect(shown.out).toMatch(/return addresses +http:/);
    const moved = ["--redirect-uri", "http://localhost:9/in", "--redirect-uri", "http://localhost:9/too"];
    const changed = await lucchetto([
      "app",
      "change",
      "hut-book",
      "--name",
      "Ledger",
      ...["--home", "http://localhost:9/"],
      ...moved,
      "--no-rights",
      ...office,
    ]);
    expect(changed.out).toMatch(
      /name +Ledger\nhome +http:\/\/localhost:9\/\nsign-in begins at +–\nreturn addresses +http:\/\/localhost:9\/in http:\/\/localhost:9\/too\n/,
    );
    expect(changed.out).toMatch(/may +–/);
    expect(await lucchetto(["app", "change", "hut-book", ...office])).toMatchObject({
      status: 2,
      err: expect.stringContaining("Nothing to change was given"),
    });
    const unasked = await lucchetto(["app", "remove", "hut-book", ...office]);
    expect(unasked).toMatchObject({ status: 2, err: expect.stringContaining("add --yes if you mean it") });
    expect((await lucchetto(["app", "remove", "hut-book", "--yes", ...office])).status).toBe(0);
    expect((await lucchetto(["app", "list", ...office])).out).toContain(
      "No application yet. Run: lucchetto app add",
    );
  });

  test("wrong values of options are named with what they take, before anything is asked", async () => {
    for (const [args, said] of [
      [["account", "list", "--limit", "abc"], /--limit.*abc.*whole number from 1 to 100/],
      [["session", "list", "--limit", "101"], /--limit.*101.*from 1 to 100/],
      [["account", "list", "--scheme", "bogus"], /--scheme.*bogus.*older.*argon2id/],
      [["journal", "list", "--kind", "nonsense"], /--kind.*nonsense.*sign-in\.refused/],
      [["mail", "list", "--state", "foo"], /--state.*foo.*waiting, sent, given-up, caught, held/],
      [["delivery", "list", "--state", "foo"], /--state.*foo.*waiting, delivered, given-up/],
      [["account", "invite", "x@brina.example", "--language", "fr"], /--language.*fr.*en, it/],
      [["mail", "template", "reset", "--language", "fr"], /--language.*fr.*en, it/],
    ] as const) {
      const { status, err } = await lucchetto([...args, ...office]);
      expect([args, status, err]).toEqual([args, 2, expect.stringMatching(said)]);
    }
  });

  test("lists go on where they ended, and say whose things are", async () => {
    for (const name of ["ada", "ilda"]) await service.register(`${name}@brina.example`);
    const first = await lucchetto(["account", "list", "--limit", "1", ...office]);
    const [, after = ""] = /There are more: the same with --after (\S+)/.exec(first.out) ?? [];
    const second = await lucchetto(["account", "list", "--limit", "1", "--after", after, ...office]);
    expect([first.out, second.out]).toEqual([
      expect.stringContaining("ilda@brina.example"),
      expect.stringContaining("ada@brina.example"),
    ]);
    expect((await lucchetto(["session", "list", ...office])).out).toContain("office@brina.example");
    const kept = await lucchetto(["journal", "list", "--account", "ada@brina.example", ...office]);
    expect(kept.out).toMatch(/account\.registered .* ada@brina\.example/);
    // By a scheme's beginning, too.
    const bySchemes = await lucchetto(["account", "list", "--scheme", "$scrypt$ln=8", ...office]);
    expect(bySchemes.out).toContain("ilda@brina.example");
    expect((await lucchetto(["account", "list", "--scheme", "$scrypt$ln=9", ...office])).out).not.toContain(
      "@",
    );
    // Of an account that is gone the journal keeps what was under its id.
    const [{ id }] = JSON.parse((await lucchetto(["account", "list", "ada", "--json", ...office])).out).items;
    await lucchetto(["account", "erase", "ada@brina.example", "--yes", ...office]);
    expect((await lucchetto(["journal", "list", "--account", id, ...office])).out).toContain(
      "account.erased",
    );
  });

  test("tables fit the terminal; what is left out is said, and nothing is lost when piped", async () => {
    const lists = ["account", "session", "journal", "mail", "delivery", "app", "throttle"];
    for (const noun of lists) {
      const { out, status } = await lucchetto([noun, "list", ...office], { columns: 80 });
      const lines = stripVTControlCharacters(out).split("\n");
      expect([noun, status, lines.filter((line) => line.trimEnd().length > 80)]).toEqual([noun, 0, []]);
    }
    const narrow = await lucchetto(["session", "list", ...office], { columns: 80 });
    expect(narrow.out).toMatch(/Left out: kind.*All of it: --wide/);
    const wide = await lucchetto(["session", "list", "--wide", ...office], { columns: 80 });
    const piped = await lucchetto(["session", "list", ...office]);
    expect(stripVTControlCharacters(wide.out)).toBe(piped.out);
    expect(piped.out).toMatch(/network/);
  });

  test("journal head and verify: whole, cut off, changed", async () => {
    const head = () => lucchetto(["journal", "head", ...office]);
    await eventually(async () => / chained, 0 not yet/.test((await head()).err), "the journal is chained");
    const kept = (await head()).out.trim();
    expect(kept).toMatch(/^\d+\.[A-Za-z0-9_-]{43}$/);
    const whole = await lucchetto(["journal", "verify", "--head", kept, ...office]);
    expect(whole).toMatchObject({
      status: 0,
      out: expect.stringMatching(/^The journal holds together: \d+ events/),
    });
    expect(whole.out).toContain("The kept head is in it");

    const further = `${Number(kept.split(".")[0]) + 1_000}.${"A".repeat(43)}`;
    const cut = await lucchetto(["journal", "verify", "--head", further, ...office]);
    expect(cut).toMatchObject({
      status: 1,
      err: expect.stringMatching(/cut off: the kept head was further/),
    });
    for (const [option, value] of [
      ["--head", "7"],
      ["--after", "x"],
    ] as const)
      expect((await lucchetto(["journal", "verify", option, value, ...office])).status).toBe(2);

    const set = (reason: string) =>
      service.dataSource.query(`UPDATE journal_entry SET reason = ${reason} WHERE position = 2`);
    await set("'a mistake'");
    const changed = await lucchetto(["journal", "verify", ...office]);
    expect(changed).toMatchObject({ status: 1, out: "" });
    expect(changed.err).toMatch(/position 2 \(event .*\) was changed after it was written\. .*--after 2/s);
    const asJson = await lucchetto(["journal", "verify", "--json", ...office]);
    expect([asJson.status, JSON.parse(asJson.out).flaw.what]).toEqual([1, "changed"]);
    await set("NULL");
  });

  test("journal follow prints events as they happen", async () => {
    const env = { PATH: process.env["PATH"] ?? "", XDG_CONFIG_HOME: home, LUCCHETTO_URL: service.url };
    const child = spawn(process.execPath, [COMMAND, "journal", "follow", ...office], { env });
    let out = "";
    child.stdout.on("data", (chunk) => (out += chunk));
    await eventually(() => out.split("\n").length > 5, "what happened before");
    await service.register("follower@brina.example");
    await eventually(
      () => /account\.registered {2}done {2}follower@brina\.example/.test(out),
      "what happens",
    );
    const ended = new Promise((resolve) => child.once("exit", resolve));
    child.kill("SIGINT");
    await ended;
    // Each is printed once.
    const lines = out
      .trimEnd()
      .split("\n")
      .filter((line) => line.includes("follower"));
    expect(new Set(lines).size).toBe(lines.length);
  });

  test("suspend, restore and label an account; list and end sessions; read the journal", async () => {
    await lucchetto(
      ["register", "--email", "bruno@brina.example", "--password-stdin", "--profile", "bruno"],
      { input: PASSWORD },
    );
    expect((await lucchetto(["account", "label", "bruno@brina.example", "keeper", ...office])).out).toContain(
      "now has: keeper.",
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
    expect(added.out).toMatch(/was added[^]*They will choose a new password/);
    const refused = await lucchetto(
      ["sign-in", "nora@brina.example", "--password-stdin", "--profile", "nora"],
      {
        input: PASSWORD,
      },
    );
    expect(refused).toMatchObject({ status: 1, err: expect.stringMatching(/choose a new password first/) });
    expect((await as("account", "must-change", "nora@brina.example", "--no-longer")).out).toMatch(/can keep/);
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
    expect((await as("account", "list", "--second-factor", "missing")).out).toContain("Nothing matches.");
    const unasked = await as("account", "erase", "nora@brina.example");
    expect(unasked).toMatchObject({ status: 2, err: expect.stringContaining("--yes") });
    expect((await as("account", "erase", "nora@brina.example", "--yes")).out).toMatch(/was erased/);
    expect((await lucchetto(["whoami", "--profile", "nora"])).status).toBe(1);
    expect((await as("delivery", "list")).out).toMatch(/No notices/);
    expect((await as("delivery", "repeat", "0190b6a2-0000-7000-8000-000000000000")).status).toBe(1);
  });

  test("mail list and show: what the mailbox caught, with the link to open", async () => {
    await service.register("post@brina.example");
    await service.client(routes.askForLink, { body: { purpose: "reset", identifier: "post@brina.example" } });
    const item = await eventually(async () => {
      const [newest] = JSON.parse((await lucchetto(["mail", "list", "--json"])).out).items;
      return newest?.template === "reset" && newest;
    });
    expect(item).toMatchObject({ to: "post@brina.example", subject: "Choose a new password for Brina Huts" });
    expect((await lucchetto(["mail", "show"])).out).toMatch(/Choose a new password[^]*link#lcl_/);
    expect((await lucchetto(["mail", "list"])).out).toContain(item.id);
    expect((await lucchetto(["mail", "show", "nothing"])).status).toBe(1);
  });

  test("throttle list shows who is held back, and release lets them try again", async () => {
    for (let index = 0; index < 5; index += 1) {
      await lucchetto(["sign-in", "anna@brina.example", "--password-stdin"], { input: "a wrong password" });
    }
    const held = await lucchetto(["throttle", "list", ...office]);
    expect(held.out).toMatch(/a name as it was typed +anna@brina\.example +5 +waiting/);
    expect((await lucchetto(["throttle", "release", "anna@brina.example", ...office])).out).toContain(
      "unblocked",
    );
    expect((await lucchetto(["throttle", "list", ...office])).out).toContain("Nobody is held back.");
    expect((await lucchetto(["throttle", "release", "anna@brina.example", ...office])).status).toBe(1);
  });

  test("JO-5 text of other people cannot steer the terminal", async () => {
    await service.dataSource.query(
      "UPDATE account SET displayName = ? WHERE emailKey = 'anna@brina.example'",
      ["\u001b[2J\u202eevil\r\nline"],
    );
    await service.dataSource.query("UPDATE session SET userAgent = ?", ["Hut\u009b2J\u202e browser\r\nline"]);
    const sessions = await lucchetto(["session", "list", ...office]);
    expect(sessions.out).not.toMatch(/[\u001b\u009b\u202e\r]|^line/m);
    const { out } = await lucchetto(["account", "list", ...office]);
    expect(out).not.toMatch(/\u001b|\u202e/);
    expect(out).toContain("\\u001b[2J\\u202eevil\\u000d\\u000aline");
  });

  test("who is named is who is meant: by id, address or username, whole, and never by a display name", async () => {
    const { id, token } = await service.register("decoyed@brina.example");
    // What a stranger can choose, so that it stands before the one that is meant.
    for (let decoy = 0; decoy < 24; decoy += 1)
      await service.client(routes.register, {
        body: {
          email: `decoy${decoy}@brina.example`,
          displayName: `${id} ${decoy}`,
          password: PASSWORD,
          deliver: "token",
        },
      });
    expect((await lucchetto(["account", "suspend", id, ...office])).status).toBe(0);
    await expect(service.as(token)(routes.showSession)).rejects.toThrow();
    const states = await service.dataSource.query("SELECT id FROM account WHERE state = 'suspended'");
    expect(states).toEqual([{ id }]);
    expect((await lucchetto(["account", "restore", "DECOYED@brina.example", ...office])).status).toBe(0);
    for (const name of [`${id} 1`, "decoy", id.slice(0, 20), "0190b6a2-0000-7000-8000-000000000000"])
      expect(await lucchetto(["account", "show", name, ...office])).toMatchObject({
        status: 1,
        err: expect.stringContaining("No account has the id, address, username or reference"),
      });
  });
});
