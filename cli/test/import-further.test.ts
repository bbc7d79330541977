import { spawn } from "node:child_process";
import { appendFileSync } from "node:fs";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { BY_COMMAND } from "../../service/src/context.ts";
import { listSealed } from "../../service/src/intake/wrap.ts";
import { storeRemade } from "../../service/src/password/password.ts";
import { findRecord } from "../../service/src/password/store.ts";
import { callCommand, COMMAND } from "../../testing/command.ts";
import { eventually } from "../../testing/eventually.ts";
import { digest, importingInto, planOf, SALTED } from "../../testing/import.ts";
import type { TestService } from "../../testing/service.ts";
import { json, send, startService } from "../../testing/service.ts";
import { mailTo, secretOf, Visitor } from "../../testing/visitor.ts";

type Importing = ReturnType<typeof importingInto>;
let service: TestService;
let importing: Importing;
beforeAll(async () => {
  service = await startService();
  importing = importingInto(service);
});
afterAll(() => service.stop());
const file: Importing["file"] = (...given) => importing.file(...given);
const importRun: Importing["importRun"] = (...given) => importing.importRun(...given);
const statusOf: Importing["statusOf"] = (...given) => importing.statusOf(...given);
const signIn: Importing["signIn"] = (...given) => importing.signIn(...given);
const recordOf: Importing["recordOf"] = (...given) => importing.recordOf(...given);
const dump: Importing["dump"] = (...given) => importing.dump(...given);

describe("a large table", () => {
  const many = (name: string, count: number) => {
    const path = file(`${name}.csv`, "login,mail,pw,salt\n");
    const lines = Array.from(
      { length: count },
      (_, n) => `${name}${n},${name}${n}@old.example,${digest("sha1", `s${n}${name} password ${n}`)},s${n}`,
    );
    appendFileSync(path, `${lines.join("\n")}\n`);
    return file(`${name}.yaml`, planOf(`${name}.csv`, SALTED));
  };
  const taken = async (name: string): Promise<number> => {
    const [{ count }] = await service.dataSource.query(
      "SELECT COUNT(*) AS count FROM account WHERE username LIKE ?",
      [`${name}%`],
    );
    return Number(count);
  };

  test("killed in the middle goes on where it stood: nobody twice, nobody left out", async () => {
    const plan = many("killed", 1_500);
    const args = ["import", "run", plan, "--unproven", "--wrap", "now", "--json"];
    const child = spawn(process.execPath, [COMMAND, ...args], {
      env: { PATH: process.env["PATH"], ...importing.env },
      stdio: "ignore",
      detached: true,
    });
    const ended = new Promise((resolve) => child.once("exit", resolve));
    await eventually(async () => (await taken("killed")) > 0);
    process.kill(-(child.pid ?? 0), "SIGKILL");
    await ended;
    const before = await taken("killed");
    const { report, resumedAt } = await importRun(plan, ["--unproven", "--wrap", "now"]);
    expect(report).toMatchObject({ rows: 1_500, taken: 1_500, refused: 0, state: "done" });
    expect(resumedAt).toBe(before);
    expect(await taken("killed")).toBe(1_500);
    expect(await signIn("killed1499", "killed password 1499")).toBe(201);
  });

  test("with plain text, begun with hashes and gone on with sealed, has the recipe that it needs by then", async () => {
    file("change.csv", "login,mail,pw\nchange0,change0@old.example,plain as the day is long\n");
    const plan = file("change.yaml", planOf("change.csv", "  - {kind: plain, column: pw}\n"));
    const { report } = await importRun(plan, ["--wrap", "now"]);
    // As if it had been killed before its first row.
    await service.dataSource.query("DELETE FROM account WHERE usernameKey = 'change0'");
    await service.dataSource.query(
      "UPDATE intake SET state = 'running', position = 0, taken = 0 WHERE id = ?",
      [report.id],
    );
    const again = await importRun(plan, ["--wrap", "later"]);
    expect(again.report).toMatchObject({ id: report.id, taken: 1 });
    expect(await dump()).not.toContain("plain as the day is long");
    expect(await signIn("change0", "plain as the day is long")).toBe(201);
  });

  test("wrapped later: usable at once, useless in a dump, and wrapped beside the service, latest seen first", async () => {
    const plan = many("later", 30);
    const { dataSource, configuration } = service;
    const sealingKeys = configuration.keyRing;
    if (sealingKeys === null) throw new Error("there is a key ring");
    // Another instance holds it, so that nothing is wrapped meanwhile.
    await dataSource.query(
      "CREATE TRIGGER held BEFORE INSERT ON intake FOR EACH ROW SET NEW.claim = UUID(), NEW.claimedUntil = '2100-01-01'",
    );
    const { report, wrapsLater } = await importRun(
      plan,
      ["--known", "later7", "--password-stdin", "--wrap", "later"],
      "later password 7\n",
    );
    expect(wrapsLater).toBe(true);
    expect(report).toMatchObject({ taken: 30 });
    expect(await dump()).not.toContain(digest("sha1", "s3later password 3"));
    expect(await signIn("later3", "later password 4")).toBe(401);
    expect(await signIn("later3", "later password 3")).toBe(201);
    const ofAccount = "WHERE usernameKey = ?";
    await dataSource.query(`UPDATE account SET lastSignInAt = '2026-01-01' ${ofAccount}`, ["later20"]);
    await dataSource.query(`UPDATE account SET lastSignInAt = '2026-02-01' ${ofAccount}`, ["later25"]);
    const sealed = await listSealed({ dataSource, sealingKeys }, report.id);
    const names = await dataSource.query<Array<{ id: string; username: string }>>(
      "SELECT id, username FROM account",
    );
    const nameOf = (id: string | undefined) => names.find((one) => one.id === id)?.username;
    expect(sealed).toHaveLength(29);
    expect(sealed.slice(0, 2).map(({ accountId }) => nameOf(accountId))).toEqual(["later25", "later20"]);
    // Under a key that is not here nothing can be wrapped, and nothing is tried.
    const otherKeys = { current: "k9", keys: new Map([["k9", new Uint8Array(32)]]) };
    expect(await listSealed({ dataSource, sealingKeys: otherKeys }, report.id)).toEqual([]);
    const id = names.find(({ username }) => username === "later6")?.id ?? "";
    const row = await findRecord(dataSource, id);
    await dataSource.query("DROP TRIGGER held");
    await dataSource.query("UPDATE intake SET claim = NULL, claimedUntil = NULL");
    await eventually(async () => (await statusOf(report.id)).sealed === 0);
    expect(await statusOf(report.id)).toMatchObject({ standing: 29, rightFirst: 1 });
    expect(await recordOf("later4")).toMatch(/^\$scrypt\$ln=8,r=8,p=1,recipe=/);
    // Who signed in while the digest was being wrapped: the record of their password stands, and they are counted.
    if (row === null) throw new Error("later6 has a record");
    const remade = { row, remade: "$scrypt$ln=8,r=8,p=1$later$six", visit: BY_COMMAND, now: new Date() };
    await storeRemade({ configuration }, dataSource.manager, remade);
    expect(await recordOf("later6")).toBe(remade.remade);
    expect(await statusOf(report.id)).toMatchObject({ standing: 28, rightFirst: 2 });
    // Not in the place of anything newer.
    await storeRemade({ configuration }, dataSource.manager, {
      ...remade,
      remade: "$scrypt$ln=8,r=8,p=1$older$six",
    });
    expect(await recordOf("later6")).toBe(remade.remade);
    expect(await signIn("later4", "later password 4")).toBe(201);
    expect(await signIn("later5", digest("sha1", "s5later password 5"))).toBe(401);
  });
});

describe("a recipe that was wrong", () => {
  test("is corrected by an operator who knows one password; the digests stay, and the other operators are told", async () => {
    const rows = ["vera", "walter"].map(
      (name) => `${name},${name}@old.example,${digest("sha1", `${name} on the north side#s`)},s`,
    );
    file("wrong.csv", ["login,mail,pw,salt", ...rows].join("\n"));
    const { report } = await importRun(file("wrong.yaml", planOf("wrong.csv", SALTED)), ["--unproven"]);
    expect(await signIn("vera", "vera on the north side")).toBe(401);
    const other = await service.register("other.office@brina.example");
    await service.dataSource.query(
      "UPDATE account SET labels = '[\"operator\"]', emailVerifiedAt = NOW(3) WHERE id = ?",
      [other.id],
    );
    const token = await service.operator();
    const [recipe] = (await statusOf(report.id)).recipes;
    const right = 'hex(sha1(concat(password, "#", salt)))';
    const correct = async (change: object, as = token) => {
      const { body, headers } = json({
        text: right,
        identifier: "vera",
        password: "vera on the north side",
        ...change,
      });
      const path = `/v1/operator/intakes/${report.id}/recipes/${recipe?.id}`;
      const sent = { body, headers: { ...headers, authorization: `Bearer ${as}` } };
      const answer = await send(service, "PATCH", path, sent);
      return {
        status: answer.status,
        code: answer.json<{ errors?: Array<{ code: string }> }>().errors?.[0]?.code,
      };
    };
    for (const [body, code] of [
      [{ password: "walter on the north side" }, "recipe-not-fitting"],
      [{ text: "hex(sha1(concat(password, salt)))" }, "recipe-not-fitting"],
      // The old digest itself would sign in.
      [{ text: "password", password: digest("sha1", "vera on the north side#s") }, "recipe-unsound"],
      [{ text: "lower(password)", password: digest("sha1", "vera on the north side#s") }, "recipe-unsound"],
      [{ identifier: "aldo" }, "not-of-recipe"],
      [{ identifier: "nobody.at.all" }, "not-of-recipe"],
    ] as const) {
      expect([body, await correct(body)]).toEqual([body, { status: 400, code }]);
    }
    const { token: somebody } = await service.register("somebody@brina.example");
    expect((await correct({}, somebody)).status).toBe(403);
    expect(await statusOf(report.id)).toMatchObject({ recipes: [{ isProven: false }] });

    expect((await correct({})).status).toBe(200);
    expect(await statusOf(report.id)).toMatchObject({
      recipes: [{ id: recipe?.id, text: right, isProven: true }],
    });
    for (const name of ["vera", "walter"]) {
      expect(await signIn(name, digest("sha1", `${name} on the north side#s`))).toBe(401);
      expect(await signIn(name, `${name} on the north side`)).toBe(201);
    }
    expect((await correct({})).code).toBe("not-of-recipe");
    const mails = await service.as(token)(routes.listMailbox, { query: {} });
    const told = mails.body.items.filter(({ subject }) =>
      /recipe of imported passwords was corrected/.test(subject),
    );
    expect(told.map(({ to }) => to)).toEqual(["other.office@brina.example"]);
    const journal = await service.as(token)(routes.listJournal, {
      query: { kind: "intake.recipe-corrected" },
    });
    expect(journal.body.items).toHaveLength(1);
  });
});

describe("an imported person whose address nobody has proved yet", () => {
  test("SI-12 keeps the second factor that came along: a reset by mail sets the password, and the factor is asked", async () => {
    const totp = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ";
    const old = digest("sha1", "szoe before the first proof");
    file("zoe.csv", `login,mail,pw,salt,totp\nzoe,zoe@brina.example,${old},s,${totp}\n`);
    await importRun(
      file("zoe.yaml", planOf("zoe.csv", SALTED, "username: login\n  email: mail\n  totpSecret: totp")),
      ["--unproven"],
    );
    expect(await dump()).not.toContain(totp);
    const visitor = new Visitor(service);
    await visitor.post("/v1/mail-links", { purpose: "reset", identifier: "zoe@brina.example" });
    const secret = secretOf(await mailTo(service, "zoe@brina.example", "reset"));
    const password = "a new one by the proved mailbox";
    expect((await visitor.post("/v1/mail-links/redeem", { secret, password })).status).toBe(200);
    expect(await signIn("zoe", "zoe before the first proof")).toBe(401);
    expect(await signIn("zoe", password)).toBe(202);
    const [row] = await service.dataSource.query(
      "SELECT replacedAt FROM imported_password JOIN account ON account.id = accountId WHERE usernameKey = 'zoe'",
    );
    expect(row.replacedAt).not.toBeNull();
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
    const env = { ...importing.env, LUCCHETTO_SOURCE_PASSWORD: service.database.password };
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
