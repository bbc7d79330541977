import { readFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { parsePlan } from "../../service/src/edges/intake/plan.ts";
import { callCommand, runCommand } from "../../testing/command.ts";
import { importingInto, planOf, SALTED } from "../../testing/import.ts";
import type { TestService } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";

let service: TestService;
beforeAll(async () => {
  service = await startShipped();
});
afterAll(() => service.stop());
const importing = importingInto(() => service);
const { lucchetto, file, importRun, signIn } = importing;

describe("docs/moving-in.md", () => {
  const doc = readFileSync(new URL("../../docs/moving-in.md", import.meta.url), "utf8");
  const blocks = (language: string) =>
    [...doc.matchAll(new RegExp(`\`\`\`${language}\\n([^]*?)\`\`\``, "g"))].map(([, text = ""]) => text);

  test("its examples run as they are written", async () => {
    const [sorgente = "", nevaio = ""] = blocks("csv");
    const [plain = "", salted = "", shop = ""] = blocks("yaml");
    file("sorgente.csv", sorgente);
    file("nevaio.csv", nevaio);
    expect((await importRun(file("sorgente.yaml", plain))).report).toMatchObject({ taken: 2, refused: 0 });
    expect(await signIn("nives@sorgente.example", "the cup by the spring")).toBe(201);
    const known = ["--known", "elsa@nevaio.example", "--password-stdin"];
    const elsa = await importRun(
      file("nevaio.yaml", salted.replace("username: login", "displayName: login")),
      known,
      "moss on the north side\n",
    );
    expect(elsa.report).toMatchObject({ taken: 1, refused: 0 });
    expect(await signIn("elsa@nevaio.example", "moss on the north side")).toBe(201);
    // The shop's database is nowhere; its plan can be read.
    const { err } = await lucchetto(["import", "check", file("shop.yaml", shop)]);
    expect(err).toMatch(/source\.passwordFile: .*shop-password cannot be read/);
  });
});

describe("a plan that cannot be run", () => {
  test.each([
    ["columns: {}", /source: /],
    ["source: {file: a.csv, format: xml}\ncolumns: {email: mail}", /source\.format/],
    [
      "source: {file: a.csv, format: csv}\ncolumns: {email: mail, colour: x}",
      /columns\.colour: there is no such setting/,
    ],
    ["source: {file: a.csv, format: csv}\ncolumns: {displayName: x}", /email or username/],
    [
      planOf("a.csv", "  - {kind: recipe, column: pw, recipe: hex(md5(salt))}"),
      /passwords\.0\.recipe, column 1: it does not use password/,
    ],
    [
      planOf("a.csv", "  - {kind: recipe, column: pw, recipe: 'hex(md5(concat(salt, password)))'}"),
      /uses salt; set its column/,
    ],
    [planOf("a.csv", "  - {kind: plain, column: pw, when: {column: pw}}"), /one of is, begins and hex/],
    ["source: [", /plan-/],
  ])("%s", (text, said) => {
    expect(() => parsePlan(text, { name: "plan-x", source: (name) => name })).toThrow(said);
  });

  test.each([
    [planOf("missing.csv", SALTED), /There is no file .*missing\.csv/],
    [planOf("columns.csv", SALTED), /has no column "mail", "login"; it has "pw", "salt"/],
  ])("for its source: %s", async (text, said) => {
    file("columns.csv", "pw,salt\na,b\n");
    const { status, err } = await lucchetto(["import", "check", file("no-source.yaml", text)]);
    expect([status, err]).toEqual([1, expect.stringMatching(said)]);
    expect(err).not.toMatch(/ at .*:\d+:\d+/);
  });

  test("is told as a process, too: exit status and words", async () => {
    const run = await runCommand(importing.home, ["import", "run", join(importing.home, "nowhere.yaml")], {
      env: importing.env(),
    });
    expect(run).toMatchObject({ status: 1, err: expect.stringContaining("nowhere.yaml cannot be read") });
  });
});

describe("another database", () => {
  test("is read by an account that only reads, in a transaction that cannot write; bytes come as hex", async () => {
    const { dataSource } = service;
    await dataSource.query(
      "CREATE TABLE old_guest (id int PRIMARY KEY, login varchar(20), mail varchar(80), pw varbinary(32), salt varchar(10))",
    );
    await dataSource.query(
      "INSERT INTO old_guest VALUES (1, 'tilde', 'tilde@old.example', UNHEX(SHA2(CONCAT('n1', 'tilde in the meadow'), 256)), 'n1'), (2, 'ugo', 'ugo@old.example', UNHEX(SHA2(CONCAT('n2', 'ugo in the meadow'), 256)), 'n2')",
    );
    await dataSource.query("CREATE FUNCTION sly() RETURNS int BEGIN DELETE FROM old_guest; RETURN 1; END");
    const url = new URL(service.database.url);
    const database = `${url.protocol}//${url.username}@${url.host}${url.pathname}`;
    const written = (from: string) =>
      `source:\n  database: ${database}\n  key: id\n  ${from}\ncolumns: {username: login, email: mail}\npasswords:\n  - {kind: recipe, column: pw, recipe: "sha256(concat(salt, password))", salt: salt}\n`;
    const env = { ...importing.env(), LUCCHETTO_SOURCE_PASSWORD: service.database.password };
    const run = (plan: string, input: string) =>
      callCommand(importing.home, ["import", "run", plan, "--known", "ugo", "--password-stdin", "--json"], {
        env,
        input,
      });
    for (const [select, said] of [
      ["SELECT id, login, mail, pw, salt, sly() AS x FROM old_guest", /would write|read.only|1792/i],
      ["SELECT * FROM old_guest INTO OUTFILE '/tmp/x'", /"INTO" is not taken/],
      ["DELETE FROM old_guest", /does not begin with SELECT/],
      ["SELECT 1; DROP TABLE old_guest", /";" is not taken/],
    ] as const) {
      const { status, err } = await run(
        file("sly.yaml", written(`select: ${JSON.stringify(select)}`)),
        "x\n",
      );
      expect([select, status, err]).toEqual([select, 1, expect.stringMatching(said)]);
    }
    const table = await run(file("table.yaml", written("table: old_guest")), "ugo in the meadow\n");
    expect(JSON.parse(table.out).report).toMatchObject({
      taken: 2,
      refused: 0,
      source: expect.stringContaining("old_guest of "),
    });
    expect(await signIn("tilde", "tilde in the meadow")).toBe(201);
    const [{ left }] = await dataSource.query("SELECT COUNT(*) AS `left` FROM old_guest");
    expect(Number(left)).toBe(2);
  });
});
