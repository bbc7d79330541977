/** Sources of an intake and their rows, whatever stands in them. */
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import { stringify } from "csv-stringify/sync";
import fc from "fast-check";
import { surveySource } from "../src/edges/intake/check.ts";
import { defuse, undefuse } from "../src/edges/intake/corrected.ts";
import { MaybeTwice } from "../src/edges/intake/duplicates.ts";
import { parsePlan } from "../src/edges/intake/plan.ts";
import { judgeRow } from "../src/edges/intake/row.ts";
import type { SourceRow } from "../src/edges/intake/source-row.ts";
import { SourceError } from "../src/edges/intake/source-row.ts";
import { readRows } from "../src/edges/intake/source.ts";

const path = join(mkdtempSync(join(tmpdir(), "lucchetto-source-")), "rows");
const csv = { path, format: "csv", delimiter: ",", encoding: "utf-8" } as const;
const jsonLines = { ...csv, format: "json-lines" } as const;

async function readAll(
  source: Parameters<typeof readRows>[0],
  content: string | Uint8Array,
): Promise<SourceRow[]> {
  writeFileSync(path, content);
  const rows: SourceRow[] = [];
  for await (const row of readRows(source)) rows.push(row);
  return rows;
}

test("S11 what is written for a spreadsheet is no formula there, and comes back as it was", () => {
  fc.assert(
    fc.property(
      fc.string({
        unit: fc.constantFrom("=", "+", "-", "@", "'", "\t", "\r", "1", "a", "\uff1d"),
        maxLength: 6,
      }),
      (value) => {
        expect(defuse(value)).not.toMatch(/^[=+\-@\t\r\uff1d]/);
        expect(undefuse(defuse(value))).toBe(value);
      },
    ),
  );
});

describe("a file", () => {
  test("of CSV as any program writes it gives back what was written", async () => {
    const text = fc.string({ unit: "grapheme", maxLength: 12 }).filter((one) => !one.includes("\ufeff"));
    const table = fc.array(fc.array(text, { minLength: 3, maxLength: 3 }), { minLength: 1, maxLength: 5 });
    await fc.assert(
      fc.asyncProperty(
        table,
        fc.constantFrom(",", ";", "\t", "|"),
        fc.boolean(),
        async (rows, delimiter, bom) => {
          const written = stringify([["a", "b", "c"], ...rows], { delimiter, quoted: true, bom });
          const read = await readAll({ ...csv, delimiter }, written);
          expect(
            read.map((row) => ("values" in row ? [...row.values].map(([, value]) => value) : row.fault)),
          ).toEqual(rows);
        },
      ),
      { numRuns: 60 },
    );
  });

  test("S11 whose first line is no header of people is refused at once: too many columns, names that steer a terminal", async () => {
    const many = Array.from({ length: 30_000 }, (_, column) => `c${column}`).join(",");
    await expect(readAll(csv, `${many}\n`)).rejects.toThrow(/30000 columns; 1000 are enough/);
    await expect(readAll(csv, `login,\u001b]0;owned\u0007\na,b\n`)).rejects.toThrow(
      /^line 1: column 2 has no readable name/,
    );
    await expect(readAll(csv, `${"x".repeat(201)},b\n`)).rejects.toThrow(/column 1 has no readable name/);
  });

  test("of any bytes is read, or said from which line on it is not", async () => {
    const bytes = fc.oneof(
      fc.uint8Array({ maxLength: 200 }),
      fc
        .string({ unit: fc.constantFrom("a", ",", '"', "\n", "\r", "\u00e9", "{", "}", ":"), maxLength: 80 })
        .map((one) => new TextEncoder().encode(one)),
    );
    await fc.assert(
      fc.asyncProperty(bytes, fc.constantFrom(csv, jsonLines), async (content, source) => {
        try {
          for (const row of await readAll(source, content)) expect(row.line).toBeGreaterThan(0);
        } catch (error) {
          expect(error).toBeInstanceOf(SourceError);
          expect((error as Error).message).toMatch(/line \d+|it is empty/);
        }
      }),
      { numRuns: 150 },
    );
  });
});

describe("a row", () => {
  const plan = parsePlan(
    `source: {file: x.csv, format: csv}
columns: {email: e, username: u, displayName: d, reference: r, labels: {column: l}, language: g, verified: {column: v, when: ["1"], not: ["2"]}, createdAt: c, lastSignInAt: s, totpSecret: t}
passwords:
  - {kind: plain, when: {column: k, is: plain}, column: p}
  - {kind: none, when: {column: p, is: ""}}
  - {kind: recipe, when: {column: p, hex: 40}, column: p, recipe: "hex(sha1(concat(salt, password)))", salt: z}
  - {kind: hash, when: {column: p, begins: $}, column: p}
`,
    { name: "plan", source: (file) => file },
  );
  const judge = (values: Record<string, string>) =>
    judgeRow(plan, new Map(Object.entries(values)), new Set(["k1"]));

  test("of whatever texts becomes an account or a reason, in which no secret stands", () => {
    const text = fc.oneof(
      fc.string({ unit: "grapheme", maxLength: 30 }),
      fc.constantFrom(
        "",
        "1",
        "0",
        "plain",
        "a@b.example",
        "operator",
        "2019-02-30",
        "$2b$10$",
        "$scrypt$ln=40,r=8,p=1$c2FsdHNhbHQ$aGFzaGhhc2hoYXNoaGFzaA",
        "e".repeat(40),
      ),
    );
    const row = fc.record(Object.fromEntries([..."eudrlgvcstpkz"].map((name) => [name, text])));
    fc.assert(
      fc.property(row, (values) => {
        const judged = judge(values);
        if (!("reason" in judged)) {
          expect(judged.account.email ?? judged.account.username).not.toBeNull();
          expect(judged.account.labels).not.toContain("operator");
          return;
        }
        for (const secret of [values["p"], values["t"], values["z"]])
          if (secret !== undefined && secret.length > 6 && secret !== "operator")
            expect(judged.reason).not.toContain(secret);
      }),
      { numRuns: 2_000 },
    );
  });

  test.each<[Record<string, string>, RegExp | null]>([
    [{ e: "a@b.example", p: "$scrypt$ln=40,r=8,p=1$c2FsdHNhbHQ$aGFzaGhhc2hoYXNoaGFzaA" }, /limit is/],
    [{ e: "a@b.example", p: `$2b$31$${"a".repeat(21)}u${"b".repeat(30)}u` }, /limit is/],
    [
      {
        e: "a@b.example",
        p: "$scrypt$ln=15,r=8,p=3,pepper=k9$c2FsdHNhbHRzYWx0c2FsdA$aGFzaGhhc2hoYXNoaGFzaGhhc2hoYXNoaGFzaGhhc2g",
      },
      /key k9, which is not in the key ring/,
    ],
    [
      {
        e: "a@b.example",
        p: "$scrypt$ln=15,r=8,p=3,recipe=r1$c2FsdHNhbHRzYWx0c2FsdA$aGFzaGhhc2hoYXNoaGFzaGhhc2hoYXNoaGFzaGhhc2g",
      },
      /wrapped record/,
    ],
    [{ e: "a@b.example", p: "nothing known" }, /no entry under passwords matches/],
    [{ e: "a@b.example", p: "x\u0000y", k: "plain" }, /control-character/],
    [
      { e: "a@b.example", p: "$argon2id$v=19$m=19456,t=1000000000,p=1$c2FsdHNhbHQ$aGFzaGhhc2hoYXNoaGFzaA" },
      /from 1 to 999999999/,
    ],
    [{ e: "a@b.example", p: "", d: "Rosa\u202e" }, /control characters/],
    [
      {
        e: "a@b.example",
        p: "$argon2id$v=19$m=4194304,t=2,p=1$c2FsdHNhbHQ$aGFzaGhhc2hoYXNoaGFzaA",
      },
      /limit is/,
    ],
    [{ e: "a@b.example", p: "", l: "keeper,auditor" }, /an import cannot assign auditor/],
    [{ e: "a@b.example", p: "", t: "JBSWY3DPEHPK3PXP" }, /80 bits; at least 128/],
    [{ e: "a@b.example", p: "", v: "perhaps" }, /neither a yes \(1\) nor a no: empty, 0, false, no, ?(?:2)?/],
    [{ e: "a@b.example", p: "", v: "2" }, null],
    [{ e: "a@b.example", p: "", c: "2019-02-30" }, /not a time such as/],
    [{ e: "a@b.example", p: "", c: "0000-00-00 00:00:00" }, null],
    [{ e: "a@b.example", p: "", c: "2019-05-04T17:30:00+0200" }, null],
    [{ d: "Nobody", p: "" }, /nobody could sign in/],
  ])("PW-5 PW-23 TO-4 JO-5 %j", (values, said) => {
    const judged = judge(values);
    expect("reason" in judged ? judged.reason : null).toEqual(
      said === null ? null : expect.stringMatching(said),
    );
  });
});

test("whatever comes twice is among those that may, however much of it lies on disk", () => {
  const values = fc.array(fc.integer({ min: 0, max: 200 }).map(String), { maxLength: 300 });
  fc.assert(
    fc.property(values, fc.integer({ min: 1, max: 40 }), (given, held) => {
      const seen = new MaybeTwice(held);
      for (const value of given) seen.add(value);
      const once = new Set<string>();
      const twice = new Set(given.filter((value) => once.has(value) || !once.add(value)));
      for (const value of twice) expect(seen.has(value)).toBe(true);
    }),
  );
});

test("values that come twice are always among those that may, in a million with two thirds of them on disk", () => {
  const seen = new MaybeTwice(300_000);
  for (let number = 0; number < 1_000_000; number += 1) seen.add(`guest${number}@brina.example`);
  for (let number = 0; number < 100; number += 1) seen.add(`guest${number * 9_999}@brina.example`);
  let found = 0;
  for (let number = 0; number < 1_000_000; number += 1)
    if (seen.has(`guest${number}@brina.example`)) found += 1;
  expect(found).toBeGreaterThanOrEqual(100);
  // Some hundreds share 32 bits with another by chance, more or fewer by the start that was drawn; one in a hundred would be too many.
  expect(found).toBeLessThan(10_000);
}, 120_000);

describe("a plan", () => {
  const read = (text: string) => parsePlan(text, { name: "plan.yaml", source: () => path });
  const whole = (passwords: string) =>
    `source: {file: x.csv, format: csv}\ncolumns: {email: e}\npasswords:\n${passwords}`;

  test("all recipes that cannot be used are named at once, each with its place", () => {
    const unknown = '  - {kind: recipe, column: p, recipe: "hex(md99(password))"}\n';
    const saltless = '  - {kind: recipe, column: p, recipe: "hex(sha1(concat(salt, password)))"}\n';
    expect(() => read(whole(unknown + saltless))).toThrow(
      /^plan\.yaml: 2 recipes cannot be used:\n {2}passwords\.0\.recipe, .*\n {2}passwords\.1: the recipe uses salt; set its column/,
    );
  });

  test("what is no YAML is told in a sentence about the file", () => {
    expect(() => read("source:\n  file x.csv\n  format: csv\n")).toThrow(
      /^plan\.yaml is not readable as YAML:\n {2}line 2, column 3: a line without a colon; every setting/,
    );
    expect(() => read('source: {file: "x.csv}\n')).toThrow(
      /line \d+, column \d+: a quote or bracket is not closed/,
    );
    expect(() => read("source:\n\tfile: x\n")).toThrow(/indented by blanks, not by tabs/);
  });

  test("a known password is tried on the row that is taken, not on a later one of the same person", async () => {
    writeFileSync(path, "e,p\nanna@brina.example,first password\nanna@brina.example,second password\n");
    const plan = read(whole("  - {kind: plain, column: p}\n"));
    const known = ["first password", "second password"].map((password) => ({
      who: "anna@brina.example",
      password,
    }));
    const survey = await surveySource(plan, new Map(), { known, onProgress: () => undefined });
    expect(survey.known.map(({ outcome }) => outcome)).toEqual(["right", "wrong"]);
  });
});
