import { createHash } from "node:crypto";
import { existsSync, mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { parsePlan } from "../../service/src/edges/intake/plan.ts";
import { commandLine, runCommand } from "../../testing/command.ts";

const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
const lucchetto = commandLine(home, null);
const sha1 = (text: string) => createHash("sha1").update(text).digest("hex");
const BCRYPT = `$2b$10$${"a".repeat(21)}u${"b".repeat(31)}`;
function file(name: string, content: string | Buffer): string {
  const path = join(home, name);
  writeFileSync(path, content);
  return path;
}
const plan = (path: string, more: readonly string[] = []) => lucchetto(["import", "plan", path, ...more]);

describe("a draft of a plan", () => {
  test("says of each column what it seems to be and why, and what is left out", async () => {
    const path = file(
      "guests.csv",
      `\ufeffid;login;mail;Full name;pw;salt;confirmed;active;shoe\r\n${[1, 2, 3]
        .map(
          (n) =>
            `${n};guest${n};guest${n}@brina.example;"Anna ""Nina"" ${n}";${sha1(`x${n}`)};x${n};${n % 2};${n % 2};4${n}`,
        )
        .join("\r\n")}\r\n`,
    );
    const to = join(home, "plan.yaml");
    const run = await runCommand(home, ["import", "plan", path, "--to", to]);
    expect(run).toMatchObject({ status: 0, err: "" });
    for (const line of [
      /password +pw: it holds 40 hexadecimal digits, like sha1/,
      /email +mail: 3 of 3 rows have one: addresses/,
      /username +login/,
      /displayName +Full name/,
      /reference +id/,
      /verified +confirmed/,
      /salt +salt/,
      /Left out: shoe\./,
    ])
      expect(run.out).toMatch(line);
    const written = readFileSync(to, "utf8");
    expect(written).toContain('# email: column "mail": 3 of 3 rows have one: addresses');
    expect(written).toContain("recipe: hex(sha1(concat(salt, password)))");
    expect(written).toContain("hex: 40");
    // Who is not active is suspended, and nothing else is taken for either.
    expect(parsePlan(written, { name: "plan", source: (name) => name }).columns.suspended).toEqual({
      column: "active",
      when: ["0"],
      not: ["1"],
    });
    expect(written).toContain("# Left out: shoe");
    const again = await plan(path, ["--delimiter", ";", "--to", to]);
    expect(again).toMatchObject({ status: 2, err: expect.stringContaining("already exists") });
  });

  test("tells bcrypt, PHC strings and Unix hashes by themselves, mixed in one column", async () => {
    const phc = "$scrypt$ln=15,r=8,p=3$c2FsdHNhbHRzYWx0c2FsdA$aGFzaGhhc2hoYXNoaGFzaGhhc2hoYXNoaGFzaGhhc2g";
    const unix = "$1$saltsalt$4GMhxwLqJFt6.taNMXPHI0";
    const rows = [BCRYPT, phc, unix, "moss on the north side"].map((password, n) =>
      JSON.stringify({ email: `guest${n}@brina.example`, password }),
    );
    const { out } = await plan(file("guests.jsonl", rows.join("\n")), ["--json"]);
    const { guesses, text } = JSON.parse(out);
    const [{ reason }] = guesses;
    expect(reason).toContain("60 characters beginning with $2b$: bcrypt, cost 10");
    expect(reason).toContain("PHC strings: $scrypt$ln=15,r=8,p=3");
    expect(reason).toContain("beginning with $1$: md5-crypt");
    expect(reason).toContain("1 row has something unrecognised");
    expect(text.match(/begins:/g)).toHaveLength(3);
    // A password in plain text is never repeated.
    expect(out).not.toContain("moss");
    expect(text).not.toContain("kind: plain");
  });
});

describe("a source that is not as it should be", () => {
  test("tells values of a directory, and a salt that only repeats what stands inside the hash", async () => {
    const ssha = Buffer.from("x".repeat(24)).toString("base64");
    const tagged = [`{SSHA}${ssha}`, `{CRYPT}${BCRYPT}`].map((userPassword, n) =>
      JSON.stringify({ mail: `guest${n}@brina.example`, userPassword }),
    );
    const { out } = await plan(file("directory.jsonl", tagged.join("\n")), ["--json"]);
    expect(JSON.parse(out).text).toMatch(/begins: "?\{SSHA\}"?[^]*begins: "?\{CRYPT\}"?/);
    const rows = `mail,pw,salt\na@brina.example,${BCRYPT},${BCRYPT.slice(7, 29)}\n`;
    const repeated = await plan(file("repeated.csv", rows));
    expect(repeated.err).toMatch(/column "salt" only repeats the salt, and is left out/);
    expect(repeated.out).not.toMatch(/salt: salt/);
  });

  test("rows that cannot be read are named by line and column, and the others count", async () => {
    const bytes = Buffer.concat([
      Buffer.from("email,name\na@brina.example,Anna\nb@brina.example\nc@brina.example,Ir"),
      Buffer.from([0xe8]),
      Buffer.from("ne\nd@brina.example,Dora\n"),
    ]);
    const path = file("mixed.csv", bytes);
    const { out, err, status } = await plan(path);
    expect(status).toBe(0);
    expect(err).toContain("2 rows were read, 2 cannot be read:");
    expect(err).toContain("line 3: it has 1 fields; the header has 2");
    expect(err).toContain('line 4: column "name": these bytes are not in the encoding');
    // What goes into a file is the plan alone.
    expect(parsePlan(out, { name: "plan", source: (name) => name }).columns).toMatchObject({
      email: "email",
      displayName: "name",
    });
    expect((await plan(path, ["--encoding", "windows-1252"])).err).toContain(
      "3 rows were read, 1 cannot be read:",
    );
  });

  test.each<[string, string | Buffer, RegExp]>([
    ["nothing", "", /it is empty/],
    ["the same column twice", "email,email\n", /two columns "email"/],
    [
      "a quote that never ends",
      'email,name\na@brina.example,"Anna\n',
      /line \d: a quoted field before it is never closed/,
    ],
    [
      "a quote in the middle",
      'email,name\na@brina.example,An"na"\n',
      /line 2: there is a quotation mark inside a field/,
    ],
    ["a row without end", `email,name\na@brina.example,"${"x".repeat(2 ** 20 + 10)}`, /longer than 1 MiB/],
  ])("%s is a sentence, not a stack", async (what, content, said) => {
    const run = await plan(file(`${what.replaceAll(" ", "-")}.csv`, content));
    expect(run).toMatchObject({ status: 1, err: expect.stringMatching(said) });
    expect(run.err).not.toMatch(/at .*\.(?:ts|js):\d/);
  });

  test("wrong options are named before anything is read", async () => {
    for (const [more, said] of [
      [["--delimiter", ";;"], "--delimiter"],
      [["--encoding", "ebcdic"], "--encoding"],
      [["--format", "xml"], "--format"],
    ] as const)
      expect(await plan("nowhere.csv", more)).toMatchObject({
        status: 2,
        err: expect.stringContaining(said),
      });
    expect(await plan(join(home, "nowhere.csv"))).toMatchObject({
      status: 1,
      err: expect.stringContaining("There is no file"),
    });
    expect(existsSync(join(home, "nowhere.csv"))).toBe(false);
  });

  test("lines of JSON that are none, or far too long, cost only themselves", async () => {
    const lines = [
      '{"email":"a@brina.example"}',
      "{",
      "[]",
      `{"email":"${"x".repeat(2 ** 20)}"}`,
      '{"__proto__":{"a":1}}',
      '{"email":"b@brina.example"}',
    ];
    const { out } = await plan(file("odd.jsonl", lines.join("\n")), ["--json"]);
    const { rows, faults } = JSON.parse(out);
    expect(rows).toBe(2);
    expect(faults.map(({ line }: { line: number }) => line)).toEqual([2, 3, 4, 5]);
  });
});
