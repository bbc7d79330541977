import { execFileSync } from "node:child_process";
import { randomBytes } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import { argon2id as argon2idElsewhere } from "@noble/hashes/argon2.js";
import fc from "fast-check";
import { bcrypt } from "hash-wasm";
import {
  ALGORITHMS,
  checkPasswordRecord,
  checkRecord,
  DEFAULT_SCHEME_TEXT,
  explainRecord,
  floorsMissedBy,
  fromModularCrypt,
  isOutdated,
  makePasswordRecord,
  makeRecord,
  MissingPepperError,
  readRecord,
  readScheme,
  schemeTextOf,
  withPepper,
} from "./index.ts";

const CHEAP = [
  "$scrypt$ln=4,r=8,p=1",
  "$argon2id$v=19$m=64,t=1,p=1",
  "$pbkdf2-sha256$i=1000",
  "$pbkdf2-sha512$i=1000",
];

describe("every scheme that makes records", () => {
  test.each(CHEAP)("%s: made, read back, checked, explained", async (scheme) => {
    const record = await makePasswordRecord("the same", scheme);
    expect(record.startsWith(`${scheme}$`)).toBe(true);
    expect(schemeTextOf(record)).toBe(scheme);
    expect(readRecord(record).scheme.text).toBe(scheme);
    expect(await checkPasswordRecord("the same", record, scheme)).toEqual({ matches: true, outdated: false });
    expect(await checkPasswordRecord("The same", record)).toEqual({ matches: false, outdated: true });
    const { segments, algorithm } = explainRecord(record, readScheme(DEFAULT_SCHEME_TEXT));
    expect(algorithm).toBe(scheme.split("$")[1]);
    expect(
      record.startsWith(
        segments
          .map(({ text }) => text)
          .join("")
          .slice(0, -1),
      ),
    ).toBe(true);
    for (const { label, text } of segments)
      expect(label === null ? text : "labelled").toMatch(/^(\$|,|labelled)$/);
  });

  test("property: the scheme in a text is the scheme of its parts", () => {
    fc.assert(
      fc.property(fc.integer({ min: 8, max: 200_000 }), fc.integer({ min: 1, max: 5 }), (m, t) => {
        const text = `$argon2id$v=19$m=${m},t=${t},p=1`;
        expect(readScheme(text).text).toBe(text);
      }),
    );
  });

  test("PW-16 a scheme below every floor of its algorithm is told the floors", () => {
    const atFloor = [...ALGORITHMS.values()].flatMap(({ floors, id, version }) =>
      floors.map((floor) => {
        const pairs = Object.entries(floor).map(([name, value]) => `${name}=${value}`);
        return `$${id}${version === undefined ? "" : `$v=${version}`}$${pairs.join(",")}`;
      }),
    );
    expect(atFloor).toContain("$argon2id$v=19$m=19456,t=2,p=1");
    for (const text of atFloor) expect(floorsMissedBy(readScheme(text))).toBeNull();
    for (const below of [
      "$scrypt$ln=16,r=8,p=1",
      "$argon2id$v=19$m=19455,t=2,p=1",
      "$argon2id$v=19$m=19456,t=1,p=1",
      "$pbkdf2-sha256$i=599999",
      "$pbkdf2-sha512$i=209999",
    ])
      expect(floorsMissedBy(readScheme(below))).not.toBeNull();
  });
});

describe("argon2id", () => {
  test("PW-17 a second package gives the published vector, and the two agree on fifty random inputs", async () => {
    // RFC 9106 section 5.3 takes a secret and associated data, which the package in use does not.
    const published = argon2idElsewhere(new Uint8Array(32).fill(1), new Uint8Array(16).fill(2), {
      m: 32,
      t: 3,
      p: 4,
      dkLen: 32,
      key: new Uint8Array(8).fill(3),
      personalization: new Uint8Array(12).fill(4),
    });
    expect(Buffer.from(published).toString("hex")).toBe(
      "0d640df58d78766c08c037a34a8b53c9d01ef0452d75b65eb52520e96b01e659",
    );
    const inUse = ALGORITHMS.get("argon2id");
    for (let round = 0; round < 50; round += 1) {
      const password = randomBytes(1 + round);
      const salt = randomBytes(16);
      const parameters = { m: 32 + 8 * (round % 7), t: 1 + (round % 3), p: 1 + (round % 4) };
      const [one, other] = [
        await inUse?.digest(password, salt, parameters, 32),
        argon2idElsewhere(password, salt, { ...parameters, dkLen: 32 }),
      ];
      expect(Buffer.from(one ?? []).toString("hex")).toBe(Buffer.from(other).toString("hex"));
    }
  }, 120_000);
});

describe("hashes of Unix systems, against the system's own", () => {
  /** What `crypt(3)` makes, asked through perl. */
  const crypt = (password: string, salt: string) =>
    execFileSync("perl", ["-e", "print crypt($ARGV[0], $ARGV[1])", "--", password, salt], {
      encoding: "utf8",
    });
  const salts = fc.stringMatching(/^[./0-9A-Za-z]{8}$/);
  const passwords = fc.stringMatching(/^[ -~àèß€]{1,70}$/u);

  test.each([
    ["$1$", "md5"],
    ["$5$", "sha256"],
    ["$6$", "sha512"],
    ["$5$rounds=1000$", "sha256"],
    ["$6$rounds=1234$", "sha512"],
  ])("%s", async (prefix, digest) => {
    await fc.assert(
      fc.asyncProperty(passwords, salts, async (password, salt) => {
        const made = crypt(password, `${prefix}${salt}$`);
        const record = fromModularCrypt(made) ?? "";
        expect(record).toMatch(new RegExp(`^\\$${digest}-crypt\\$rounds=`));
        expect(await checkRecord(password, readRecord(record))).toBe(true);
        expect(await checkRecord(`${password}.`, readRecord(record))).toBe(false);
      }),
      { numRuns: 12 },
    );
  });

  test("a long salt, a long password and a text that is cut or of wrong letters", async () => {
    const password = "brass key, stone door ".repeat(12);
    const made = crypt(password, "$6$sixteen.letters.$");
    expect(await checkRecord(password, readRecord(fromModularCrypt(made) ?? ""))).toBe(true);
    for (const text of [made.slice(0, -1), `${made}a`, made.replace(/.$/, "!"), made.replace("$6$", "$5$")])
      expect(fromModularCrypt(text)).toBeNull();
    expect(fromModularCrypt("$1$rounds=5000$saltsalt$4GMhxwLqJFt6.taNMXPHI0")).toBeNull();
  });

  test("PW-23 rounds without measure are never computed", () => {
    const text = crypt("brass", "$6$saltsalt$").replace("$6$", "$6$rounds=999999999$");
    expect(() => readRecord(fromModularCrypt(text) ?? "")).toThrow(/the limit is 8 times/);
  });
});

describe("bcrypt, from elsewhere", () => {
  const made = (password: string) =>
    bcrypt({ password, salt: randomBytes(16), costFactor: 4, outputType: "encoded" });

  test.each(["2a", "2b", "2y"])(
    "a $%s$ record is read and checked, and is always older than configured",
    async (variant) => {
      const custom = (await made("an old password")).replace(/^\$2.\$/, `$${variant}$`);
      const record = fromModularCrypt(custom) ?? "";
      expect(record).toMatch(new RegExp(`^\\$bcrypt-${variant}\\$cost=4\\$`));
      expect(await checkPasswordRecord("an old password", record)).toEqual({ matches: true, outdated: true });
      expect((await checkPasswordRecord("an old passwore", record)).matches).toBe(false);
    },
  );

  test("PW-8 a record of 72 bytes is matched by those alone, never by the same and one more", async () => {
    const whole = "é".repeat(36);
    const record = fromModularCrypt(await made(whole)) ?? "";
    expect((await checkPasswordRecord(whole, record)).matches).toBe(true);
    expect((await checkPasswordRecord(`${whole}x`, record)).matches).toBe(false);
  });

  test("a custom string that is cut, of another kind or of wrong letters is none", async () => {
    const custom = await made("an old password");
    for (const text of [
      custom.slice(0, -1),
      `${custom}a`,
      custom.replace("$2a$", "$2x$"),
      custom.replace(/.$/, "!"),
    ])
      expect(fromModularCrypt(text)).toBeNull();
  });

  test("no record is made with it", async () => {
    await expect(makePasswordRecord("an old password", "$bcrypt-2b$cost=10")).rejects.toThrow(RangeError);
  });
});

describe("pepper", () => {
  const bare = readScheme("$scrypt$ln=4,r=8,p=1");
  const peppers = new Map([
    ["k1", randomBytes(32)],
    ["k2", randomBytes(32)],
  ]);
  const make = (keyId: string) => makeRecord("the same", withPepper(bare, keyId), randomBytes(16), peppers);

  test("PW-21 the record names its key, and without that very key nobody can check it", async () => {
    const text = await make("k1");
    expect(text.startsWith("$scrypt$ln=4,r=8,p=1,pepper=k1$")).toBe(true);
    const record = readRecord(text);
    expect(await checkRecord("the same", record, peppers)).toBe(true);
    expect(await checkRecord("another", record, peppers)).toBe(false);
    const swapped = new Map([["k1", peppers.get("k2") ?? new Uint8Array()]]);
    expect(await checkRecord("the same", record, swapped)).toBe(false);
    await expect(checkRecord("the same", record, new Map())).rejects.toThrow(MissingPepperError);
    // With the pepper's part taken out by hand, the salt and digest are of no use either.
    expect(await checkRecord("the same", readRecord(text.replace(",pepper=k1", "")))).toBe(false);
  });

  test("PW-21 a record without pepper, or under an older key, is outdated", async () => {
    const wanted = withPepper(bare, "k2");
    expect(isOutdated(readRecord(await make("k2")), wanted)).toBe(false);
    expect(isOutdated(readRecord(await make("k1")), wanted)).toBe(true);
    expect(isOutdated(readRecord(await makePasswordRecord("the same", bare.text)), wanted)).toBe(true);
  });
});
