import { spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { digest, importingInto, planOf, SALTED } from "../../testing/import.ts";
import type { TestService } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { proveAddress } from "../../testing/visitor.ts";

/** By the system's own library. */
const crypt = (password: string, setting: string) =>
  spawnSync("perl", ["-e", "print crypt($ARGV[0], $ARGV[1])", "--", password, setting], { encoding: "utf8" })
    .stdout;

let service: TestService;
beforeAll(async () => {
  service = await startShipped();
});
afterAll(() => service.stop());
const importing = importingInto(() => service);
const { lucchetto, file, importRun, importCheck, statusOf, signIn, recordOf, dump } = importing;

const RECORD_OF_OURS = /^\$scrypt\$ln=8,r=8,p=1\$/;

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
      { line: 8, member: "passwords", reason: expect.stringContaining("no entry under passwords matches") },
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
      err: expect.stringMatching(/Nothing was changed.*aldo does not match/),
    });

    const { report } = await importRun(
      plan,
      ["--known", "aldo", "--known", "berta", "--password-stdin"],
      `${aldo}\n${berta}\n`,
    );
    expect(report).toMatchObject({
      state: "done",
      rows: 8,
      taken: 6,
      refused: 2,
      notYetSignedIn: 5,
      sealed: 0,
    });
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
      expect(await recordOf(name)).toMatch(RECORD_OF_OURS);
      expect(await signIn(name, password)).toBe(201);
    }
    expect(await statusOf(report.id)).toMatchObject({
      notYetSignedIn: 0,
      firstSignIns: 5,
      failedAttempts: 9,
    });
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
    // Of a column that the plan does not name nobody knows whether it is a secret.
    const withMore = rows.map((row) => [...row, "an older password"].join(","));
    file("faulty.csv", ["login,mail,pw,salt,older", ...withMore].join("\n"));
    const plan = file("faulty.yaml", planOf("faulty.csv", SALTED));
    const { report } = await importRun(plan, ["--unproven"]);
    expect(report).toMatchObject({ taken: 1, refused: 2 });
    const to = join(importing.home, "mended.csv");
    expect((await lucchetto(["import", "refused", report.id, "--to", to])).status).toBe(0);
    const written = readFileSync(to, "utf8");
    expect(written).toMatch(/pia,no address/);
    expect(written).not.toContain("older");
    expect(await dump()).not.toContain("an older password");
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
    const one = await lucchetto(["import", "status", report.id]);
    expect(one.out).toMatch(
      /refused +2\n[^]*hex\(sha1\(concat\(salt, password\)\)\) +no[^]*file: faulty\.csv/,
    );
    const nobody = await lucchetto(["import", "status", "nobody"]);
    expect(nobody).toMatchObject({ status: 1, err: expect.stringContaining("There is no import nobody") });
    expect((await lucchetto(["import", "run", importing.home])).err).toMatch(/cannot be read: EISDIR/);
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
    const { out } = await lucchetto(["import", "check", join(importing.home, "there.yaml")]);
    expect(out).toMatch(/labels .*an import cannot assign operator/);
    expect(out).toMatch(/reference .*the same reference as line 2/);
    // Nobody has proved the address: it may be a stranger's who registered first (A6).
    const unproved = await importRun(file("fill.yaml", `${source}\nexisting: fill`));
    expect(unproved.report).toMatchObject({ taken: 0, filled: 0, refused: 3 });
    const dry = await lucchetto(["import", "check", join(importing.home, "fill.yaml")]);
    expect(dry.out).toMatch(/nobody has verified the address/);
    await proveAddress(service, "wilma@old.example", "her own good password");
    const filled = await importRun(file("fill-2.yaml", `${source}\nexisting: fill # again`));
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

  test("A6 a username alone fills nothing, unless the plan says so and each row was listed", async () => {
    const body = { username: "xaver", password: "his own good password" };
    await service.client(routes.register, { body });
    file("by-name.csv", "login,name,ref\nxaver,Xaver,71\n");
    const source = `source: {file: by-name.csv, format: csv}\ncolumns:\n  username: login\n  displayName: name\n  reference: ref\nexisting: fill`;
    const refused = await importRun(file("by-name.yaml", source));
    expect(refused.report).toMatchObject({ taken: 0, filled: 0, refused: 1 });
    file("by-name-2.yaml", `${source}\nfillByUsername: true`);
    const { out } = await lucchetto(["import", "check", join(importing.home, "by-name-2.yaml")]);
    expect(out).toMatch(/Only the username says[^]*2\s+xaver\s+[0-9a-f-]{36}/);
    const filled = await importRun(join(importing.home, "by-name-2.yaml"));
    expect(filled.report).toMatchObject({ taken: 0, filled: 1, refused: 0 });
  });
});
