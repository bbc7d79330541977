import { randomBytes } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import {
  ALGORITHMS,
  checkPasswordRecord,
  checkRecord,
  DEFAULT_LIMITS,
  equalInConstantTime,
  explainRecord,
  isOutdated,
  makePasswordRecord,
  makeRecord,
  readRecord,
  readScheme,
  SchemeError,
  UnusablePasswordError,
} from "./index.ts";

const CHEAP = "$scrypt$ln=4,r=8,p=1";

test.each<[unknown, string]>([
  [undefined, "undefined"],
  [null, "null"],
  [new TextEncoder().encode("a password"), "bytes"],
  [12345678, "number"],
])("what is no text is never taken for a password: %s", async (given, found) => {
  const password = given as string;
  const message = `the password is ${found}; expected a text`;
  const record = await makePasswordRecord("moss on the north side", CHEAP);
  await expect(makePasswordRecord(password, CHEAP)).rejects.toThrow(new TypeError(message));
  await expect(makeRecord(password, readScheme(CHEAP), new Uint8Array(16))).rejects.toThrow(message);
  await expect(checkPasswordRecord(password, record)).rejects.toThrow(message);
  await expect(checkRecord(password, readRecord(record))).rejects.toThrow(message);
});

/** RFC 7914 section 12: password, salt, ln, r, p, result. */
const VECTORS = [
  [
    "",
    "",
    4,
    1,
    1,
    "77d6576238657b203b19ca42c18a0497f16b4844e3074ae8dfdffa3fede21442fcd0069ded0948f8326a753a0fc81f17e8d3e0fb2e0d3628cf35e20c38d18906",
  ],
  [
    "password",
    "NaCl",
    10,
    8,
    16,
    "fdbabe1c9d3472007856e7190d01e9fe7c6ad7cbc8237830e77376634b3731622eaf30d92e22a3886ff109279d9830dac727afb94a83ee6d8360cbdfa2cc0640",
  ],
  [
    "pleaseletmein",
    "SodiumChloride",
    14,
    8,
    1,
    "7023bdcb3afd7348461c06cd81fd38ebfda8fbba904f8e3ea9b543f6545da1f2d5432955613f0fcf62d49705242a9af9e61e85dc0d651e40dfcf017b45575887",
  ],
] as const;

describe("scrypt", () => {
  test.each(VECTORS)(
    "PW-17 gives the published result for %p with %p",
    async (password, salt, ln, r, p, expected) => {
      const encode = (text: string) => new TextEncoder().encode(text);
      const scrypt = ALGORITHMS.get("scrypt");
      const hexOf = async (typed: string) =>
        Buffer.from((await scrypt?.digest(encode(typed), encode(salt), { ln, r, p }, 64)) ?? []).toString(
          "hex",
        );
      expect(await hexOf(password)).toBe(expected);
      expect(await hexOf(`${password}!`)).not.toBe(expected);
    },
  );

  test("runs at its default cost within the memory that it is given", async () => {
    const record = await makePasswordRecord("a good long password");
    expect(record).toMatch(/^\$scrypt\$ln=15,r=8,p=3\$[A-Za-z0-9+/]{22}\$[A-Za-z0-9+/]{43}$/);
    await expect(checkPasswordRecord("a good long password", record)).resolves.toEqual({
      matches: true,
      outdated: false,
    });
  });
});

describe("records", () => {
  test("PW-15 one password hashed a hundred times has a hundred salts of 16 bytes and a hundred hashes", async () => {
    const records = await Promise.all(
      Array.from({ length: 100 }, () => makePasswordRecord("the same", CHEAP)),
    );
    const read = records.map((record) => readRecord(record));
    expect(read.every(({ salt }) => salt.length === 16)).toBe(true);
    expect(new Set(read.map(({ salt }) => Buffer.from(salt).toString("hex"))).size).toBe(100);
    expect(new Set(read.map(({ hash }) => Buffer.from(hash).toString("hex"))).size).toBe(100);
  });

  test("PW-7 the whole password counts: nothing is trimmed, folded or cut off", async () => {
    const password = `${"x".repeat(253)} y`;
    const record = await makePasswordRecord(password, CHEAP);
    const others = [
      `${"x".repeat(253)} z`,
      password.slice(0, -1),
      `${password} `,
      ` ${password}`,
      password.toUpperCase(),
    ];
    for (const other of others) expect((await checkPasswordRecord(other, record)).matches).toBe(false);
    expect((await checkPasswordRecord(password, record)).matches).toBe(true);
  });

  test("PW-19 hashes of unequal length are unequal, without a throw", () => {
    expect(equalInConstantTime(randomBytes(32), randomBytes(31))).toBe(false);
    expect(equalInConstantTime(Buffer.alloc(32, 7), Buffer.alloc(32, 7))).toBe(true);
  });

  test("PW-20 a record of another scheme, or with a short salt or hash, is outdated", async () => {
    const scheme = readScheme(CHEAP);
    const record = readRecord(await makePasswordRecord("the same", CHEAP));
    expect(isOutdated(record, scheme)).toBe(false);
    expect(isOutdated(record, readScheme("$scrypt$ln=5,r=8,p=1"))).toBe(true);
    expect(isOutdated({ ...record, salt: record.salt.slice(0, 8) }, scheme)).toBe(true);
    expect(isOutdated({ ...record, hash: record.hash.slice(0, 16) }, scheme)).toBe(true);
  });

  test.each([
    ["ln=40", "$scrypt$ln=40,r=8,p=1$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
    ["4 GiB by r", "$scrypt$ln=15,r=1024,p=1$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
    ["a million rounds of p", "$scrypt$ln=10,r=8,p=999999$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
    ["ln=0", "$scrypt$ln=0,r=8,p=1$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
    ["a leading zero", "$scrypt$ln=015,r=8,p=1$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
    ["another order", "$scrypt$r=8,ln=15,p=1$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
    ["m=4 GiB", "$argon2id$v=19$m=4194304,t=2,p=1$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
    ["t=10^9", "$argon2id$v=19$m=19456,t=1000000000,p=1$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
    ["too little memory for its lanes", "$argon2id$v=19$m=8,t=2,p=4$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
    ["no version where one belongs", "$argon2id$m=19456,t=2,p=1$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
    ["10^9 iterations", "$pbkdf2-sha256$i=999999999$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
    ["bcrypt cost 31", "$bcrypt-2b$cost=31$c2FsdHNhbHRzYWx0c2FsdA$aGFzaGhhc2hoYXNoaGFzaGhhc2hoYXM"],
    ["a bcrypt hash cut short", "$bcrypt-2b$cost=10$c2FsdHNhbHRzYWx0c2FsdA$aGFzaGhhc2hoYXNoaGFzaGhhc2hoYQ"],
    ["a missing parameter", "$scrypt$ln=15,r=8$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
    ["an unknown algorithm", "$md5$c2FsdHNhbHRzYWx0$aGFzaGhhc2hoYXNoaGFzaA"],
    ["a salt of four bytes", "$scrypt$ln=4,r=8,p=1$c2FsdA$aGFzaGhhc2hoYXNoaGFzaA"],
    ["a hash of four bytes", "$scrypt$ln=4,r=8,p=1$c2FsdHNhbHRzYWx0$aGFzaA"],
  ])("PW-23 a record with %s is never computed", (_what, record) => {
    expect(() => readRecord(record)).toThrow(SchemeError);
  });

  test("PW-23 the refusal names the limit", () => {
    expect(() => readScheme("$scrypt$ln=20,r=8,p=1")).toThrow(/1024 MiB.*limit is 256 MiB/);
    expect(() => readScheme("$scrypt$ln=17,r=8,p=1", { ...DEFAULT_LIMITS, timesUsual: 1 })).toThrow(
      /costs 2 times ln=15,r=8,p=3; the limit is 1 times/,
    );
  });

  test("an explanation's segments are the record's own string, digest shortened", async () => {
    const record = await makePasswordRecord("the same", CHEAP);
    const { segments, current } = explainRecord(record, readScheme("$scrypt$ln=5,r=8,p=1"));
    const text = segments.map((segment) => segment.text).join("");
    expect(record.startsWith(text.slice(0, -1))).toBe(true);
    expect(text.length).toBeLessThan(record.length);
    expect(current).toBe(false);
  });

  test("what can be nobody's password makes no record", async () => {
    await expect(makePasswordRecord("", CHEAP)).rejects.toThrow(UnusablePasswordError);
    const scheme = readRecord(await makePasswordRecord("the same", CHEAP));
    await expect(checkRecord("the same", scheme)).resolves.toBe(true);
    expect((await checkPasswordRecord("", await makePasswordRecord("x", CHEAP))).matches).toBe(false);
  });
});
