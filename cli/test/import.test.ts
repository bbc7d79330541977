import { spawn, spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import { appendFileSync, mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Intake, IntakeCheck } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { callCommand, COMMAND, runCommand } from "../../testing/command.ts";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { CHEAP_SCHEME, json, send, startService } from "../../testing/service.ts";
import { mailTo, secretOf, Visitor } from "../../testing/visitor.ts";

const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
const digest = (name: string, text: string) => createHash(name).update(text).digest("hex");
/** By the system's own library. */
const crypt = (password: string, setting: string) =>
  spawnSync("perl", ["-e", "print crypt($ARGV[0], $ARGV[1])", "--", password, setting], { encoding: "utf8" })
    .stdout;

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

function file(name: string, content: string): string {
  const path = join(home, name);
  writeFileSync(path, content);
  return path;
}
const environment = () => ({
  LUCCHETTO_CONFIG: service.configFile,
  LUCCHETTO_DATABASE_PASSWORD: service.database.password,
});
const lucchetto = (args: readonly string[], input = "") =>
  callCommand(home, args, { env: environment(), input });
async function importRun(plan: string, more: readonly string[] = [], input = "") {
  const run = await lucchetto(["import", "run", plan, ...more, "--json"], input);
  if (run.status !== 0) throw new Error(run.err);
  return JSON.parse(run.out) as { report: Intake; wrapsLater: boolean; resumedAt: number };
}
async function importCheck(plan: string, more: readonly string[] = [], input = "") {
  const run = await lucchetto(["import", "check", plan, ...more, "--json"], input);
  return JSON.parse(run.out) as IntakeCheck;
}
async function statusOf(id: string): Promise<Intake> {
  const { out } = await lucchetto(["import", "status", "--json"]);
  const found = (JSON.parse(out) as Intake[]).find((one) => one.id === id);
  if (found === undefined) throw new Error(`no intake ${id}`);
  return found;
}
async function signIn(identifier: string, password: string): Promise<number> {
  const { body, headers } = json({ proof: { type: "password", identifier, password }, deliver: "token" });
  return (await send(service, "POST", "/v1/sign-in", { body, headers })).status;
}
async function recordOf(username: string): Promise<string> {
  const [row] = await service.dataSource.query(
    "SELECT record FROM password_record JOIN account ON account.id = accountId WHERE usernameKey = ?",
    [username],
  );
  return row?.record ?? "";
}
/** Every text of every table that an intake writes. */
async function dump(): Promise<string> {
  const tables = [
    "account",
    "password_record",
    "imported_password",
    "intake",
    "recipe",
    "intake_refusal",
    "journal_entry",
  ];
  const rows = await Promise.all(tables.map((table) => service.dataSource.query(`SELECT * FROM ${table}`)));
  return JSON.stringify(rows, (_key, value) =>
    typeof value === "object" && value !== null && value.type === "Buffer"
      ? Buffer.from(value.data).toString("latin1")
      : value,
  );
}
const planOf = (source: string, ways: string, columns = "username: login\n  email: mail") =>
  `source:\n  file: ${source}\n  format: csv\ncolumns:\n  ${columns}\npasswords:\n${ways}`;
const SALTED = `  - kind: recipe
    column: pw
    recipe: hex(sha1(concat(salt, password)))
    salt: salt
`;

describe("a mixed users table", () => {
  const passwords = {
    aldo: "salted in the first year",
    berta: "md5 from long ago",
    carla: "a system's own crypt",
    dino: "never hashed at all",
    elsa: "in a directory's braces",
    fosca: "dear enough as it is",
  };
  const { aldo, berta, carla, elsa } = passwords;
  const ssha = Buffer.concat([createHash("sha1").update(`${elsa}Kp`).digest(), Buffer.from("Kp")]).toString(
    "base64",
  );
  const old = {
    aldo: digest("sha1", `x7${aldo}`),
    berta: digest("md5", berta),
    carla: crypt(carla, "$6$rounds=1000$abcdefgh$"),
    elsa: `{SSHA}${ssha}`,
  };

  test("comes in with a plan: nothing weak is left at rest, and everybody signs in as before", async () => {
    const fosca = crypt(passwords.fosca, "$2b$10$abcdefghijklmnopqrstuu");
    expect(fosca).toMatch(/^\$2b\$10\$/);
    file(
      "guests.csv",
      [
        "login,mail,pw,salt,kind,joined",
        `aldo,aldo@old.example,${old.aldo},x7,1,2019-05-04 17:30:00`,
        `berta,berta@old.example,${old.berta},,1,1556991000`,
        `carla,carla@old.example,${old.carla},,1,`,
        `dino,dino@old.example,${passwords.dino},,plain,`,
        `elsa,elsa@old.example,${old.elsa},,1,`,
        `fosca,fosca@old.example,${fosca},,1,`,
        "gino,gino@old.example,what is this,,1,",
        `irma,ALDO@old.example,${old.berta},,1,`,
      ].join("\n"),
    );
    const plan = file(
      "plan.yaml",
      planOf(
        "guests.csv",
        `  - {when: {column: kind, is: plain}, kind: plain, column: pw}
  - {when: {column: pw, hex: 40}, kind: recipe, column: pw, recipe: "hex(sha1(concat(salt, password)))", salt: salt}
  - {when: {column: pw, hex: 32}, kind: recipe, column: pw, recipe: hex(md5(password))}
  - {when: {column: pw, begins: "$"}, kind: hash, column: pw}
  - {when: {column: pw, begins: "{"}, kind: hash, column: pw}
`,
        "username: login\n  email: mail\n  createdAt: joined\n  verified: true",
      ),
    );
    const check = await importCheck(
      plan,
      ["--known", "aldo", "--known", "berta@old.example", "--password-stdin"],
      `${aldo}\nwrong\n`,
    );
    expect(check).toMatchObject({ rows: 8, wouldBeTaken: 6, faultCount: 2 });
    expect(check.faults).toEqual([
      { line: 8, member: "passwords", reason: expect.stringContaining("no way of the plan fits") },
      { line: 9, member: "email", reason: "the same address as line 2" },
    ]);
    expect(check.known.map(({ outcome }) => outcome)).toEqual(["right", "wrong"]);
    expect(check.recipes.filter(({ isProven }) => !isProven).map(({ text }) => text)).toEqual([
      "hex(md5(password))",
    ]);

    const unproven = await lucchetto(["import", "run", plan]);
    expect(unproven).toMatchObject({ status: 1, err: expect.stringContaining("--unproven") });
    const wrong = await lucchetto(["import", "run", plan, "--known", "aldo", "--password-stdin"], "not it\n");
    expect(wrong).toMatchObject({
      status: 1,
      err: expect.stringMatching(/Nothing was written.*aldo does not fit/),
    });

    const { report } = await importRun(
      plan,
      ["--known", "aldo", "--known", "berta", "--password-stdin"],
      `${aldo}\n${berta}\n`,
    );
    expect(report).toMatchObject({ state: "done", rows: 8, taken: 6, refused: 2, standing: 5, sealed: 0 });
    const all = await dump();
    for (const weak of [
      ...Object.values(old),
      passwords.dino,
      Buffer.from(ssha, "base64").toString("latin1"),
    ])
      expect(all).not.toContain(weak);
    expect(all).toContain("2019-05-04T17:30:00");
    expect(await recordOf("aldo")).toMatch(/^\$scrypt\$ln=8,r=8,p=1,recipe=r[0-9a-f]{10}\$/);
    expect(await recordOf("dino")).toMatch(/^\$scrypt\$ln=8,r=8,p=1\$/);
    expect(await recordOf("fosca")).toMatch(/^\$bcrypt-2b\$cost=10\$/);

    // The old digest, known from a dump of the old system, is no password.
    for (const [name, stored] of Object.entries(old)) expect(await signIn(name, stored)).toBe(401);
    for (const [name, password] of Object.entries(passwords)) {
      expect([name, await signIn(name, `${password}.`)]).toEqual([name, 401]);
      expect([name, await signIn(name, password)]).toEqual([name, 201]);
      expect(await recordOf(name)).toMatch(
        new RegExp(`^\\${CHEAP_SCHEME.replaceAll("$", "\\$")}\\$`.replace("\\\\$", "\\$")),
      );
      expect(await signIn(name, password)).toBe(201);
    }
    expect(await statusOf(report.id)).toMatchObject({ standing: 0, rightFirst: 5, wrongTries: 9 });
    const [first] = await service.dataSource.query(
      "SELECT isOpenlyRegistered, emailVerifiedAt FROM account WHERE usernameKey = 'aldo'",
    );
    expect(first).toMatchObject({ isOpenlyRegistered: 0, emailVerifiedAt: expect.any(Date) });
  });

  test("what was refused goes into a file without secrets, and is taken once it is mended", async () => {
    const rows = [
      ["otto", "otto@old.example", digest("sha1", "k1otto in the snow"), "k1"],
      ["pia", "no address", digest("sha1", "k2pia in the snow"), "k2"],
      ["rosa", "otto@old.example", digest("sha1", "k3rosa in the snow"), "k3"],
    ];
    file("faulty.csv", ["login,mail,pw,salt", ...rows.map((row) => row.join(","))].join("\n"));
    const plan = file("faulty.yaml", planOf("faulty.csv", SALTED));
    const { report } = await importRun(plan, ["--unproven"]);
    expect(report).toMatchObject({ taken: 1, refused: 2 });
    const to = join(home, "mended.csv");
    expect((await lucchetto(["import", "refused", report.id, "--to", to])).status).toBe(0);
    const written = readFileSync(to, "utf8");
    expect(written).toMatch(/pia,no address/);
    for (const [, , secret = "", salt = ""] of rows) {
      expect(written).not.toContain(secret);
      expect(written).not.toContain(`,${salt}`);
    }
    writeFileSync(to, written.replace("no address", "pia@old.example").replace(/rosa,otto@/, "rosa,rosa@"));
    const again = await importRun(
      plan,
      ["--mended", to, "--known", "rosa", "--password-stdin"],
      "rosa in the snow\n",
    );
    expect(again.report).toMatchObject({ rows: 2, taken: 2, refused: 0 });
    expect(await signIn("pia@old.example", "pia in the snow")).toBe(201);
  });

  test("PW-5 a password that the old system hashed as it was typed is found as typed", async () => {
    const typed = "cafe\u0301 on the Brina ridge";
    file("typed.csv", `login,mail,pw,salt\nnino,nino@old.example,${digest("sha1", `s${typed}`)},s\n`);
    await importRun(
      file("typed.yaml", planOf("typed.csv", SALTED)),
      ["--known", "nino", "--password-stdin"],
      `${typed}\n`,
    );
    expect(await signIn("nino", typed)).toBe(201);
    // From now on it is one of ours, which both spellings are.
    expect(await signIn("nino", typed.normalize("NFC"))).toBe(201);
  });
});

describe("accounts that are there", () => {
  test("are refused, or filled where they lack something; address, password and factors stay, and no label of an operator is given", async () => {
    const { id } = await service.register("wilma@old.example", "her own good password");
    const rows = `login,mail,name,role,ref\nwilma,wilma@old.example,Wilma,keeper,17\nnew.one,new.one@old.example,New,operator,18\nother,other@old.example,Other,keeper,17\n`;
    file("there.csv", rows);
    const columns =
      "username: login\n  email: mail\n  displayName: name\n  reference: ref\n  labels: {column: role}";
    const source = "source: {file: there.csv, format: csv}\ncolumns:\n  " + columns;
    const refused = await importRun(file("there.yaml", source));
    expect(refused.report).toMatchObject({ taken: 0, filled: 0, refused: 3 });
    const { out } = await lucchetto(["import", "check", join(home, "there.yaml")]);
    expect(out).toMatch(/labels .*no import gives operator/);
    expect(out).toMatch(/reference .*the same reference as line 2/);
    const filled = await importRun(file("fill.yaml", `${source}\nexisting: fill`));
    expect(filled.report).toMatchObject({ taken: 0, filled: 1, refused: 2 });
    const [row] = await service.dataSource.query(
      "SELECT email, username, displayName, reference, labels FROM account WHERE id = ?",
      [id],
    );
    expect(row).toMatchObject({
      email: "wilma@old.example",
      username: null,
      displayName: "Wilma",
      reference: "17",
    });
    expect(row.labels).toEqual(["keeper"]);
    expect(await signIn("wilma@old.example", "her own good password")).toBe(201);
  });
});

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
      env: { PATH: process.env["PATH"], ...environment() },
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

  test("wrapped later: usable at once, useless in a dump, and wrapped beside the service, latest seen first", async () => {
    const plan = many("later", 30);
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
    await eventually(async () => (await statusOf(report.id)).sealed === 0);
    expect(await statusOf(report.id)).toMatchObject({ standing: 29, rightFirst: 1 });
    expect(await recordOf("later4")).toMatch(/^\$scrypt\$ln=8,r=8,p=1,recipe=/);
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
    const env = { ...environment(), LUCCHETTO_SOURCE_PASSWORD: service.database.password };
    const run = (plan: string, input: string) =>
      callCommand(home, ["import", "run", plan, "--known", "ugo", "--password-stdin", "--json"], {
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
      /uses salt; name its column/,
    ],
    [planOf("a.csv", "  - {kind: plain, column: pw, when: {column: pw}}"), /one of is, begins and hex/],
    ["source: [", /plan-/],
    [planOf("missing.csv", SALTED), /There is no file .*missing\.csv/],
    [planOf("columns.csv", SALTED), /has no column "mail", "login"; it has "pw", "salt"/],
  ])("%s", async (text, said) => {
    file("columns.csv", "pw,salt\na,b\n");
    const plan = file(`plan-${digest("md5", text).slice(0, 6)}.yaml`, text);
    const { status, err } = await lucchetto(["import", "check", plan]);
    expect([status, err]).toEqual([1, expect.stringMatching(said)]);
    expect(err).not.toMatch(/ at .*:\d+:\d+/);
  });

  test("is told as a process, too: exit status and words", async () => {
    const run = await runCommand(home, ["import", "run", join(home, "nowhere.yaml")], { env: environment() });
    expect(run).toMatchObject({ status: 1, err: expect.stringContaining("nowhere.yaml cannot be read") });
  });
});
