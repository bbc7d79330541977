import { randomBytes } from "node:crypto";
import { readFileSync } from "node:fs";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import {
  driftAfter,
  hotp,
  matchTotp,
  readBase32,
  readKeyUri,
  readTotpCode,
  totp,
  TOTP_ALGORITHMS,
  totpStep,
  USUAL_TOTP,
  writeBase32,
  writeKeyUri,
} from "./index.ts";

const SECRET = Buffer.from("12345678901234567890");
const SEEDS = {
  SHA1: SECRET,
  SHA256: Buffer.from("12345678901234567890123456789012"),
  SHA512: Buffer.from("1234567890".repeat(7).slice(0, 64)),
};

describe("one-time codes", () => {
  test("TO-1 HOTP gives the codes of RFC 4226 appendix D", () => {
    const codes = [755224, 287082, 359152, 969429, 338314, 254676, 287922, 162583, 399871, 520489];
    const made = codes.map((_, counter) => hotp(SECRET, counter, USUAL_TOTP));
    expect(made).toEqual(codes.map(String));
  });

  // RFC 6238 appendix B.
  test.each([
    [59, "94287082", "46119246", "90693936"],
    [1111111109, "07081804", "68084774", "25091201"],
    [1111111111, "14050471", "67062674", "99943326"],
    [1234567890, "89005924", "91819424", "93441116"],
    [2000000000, "69279037", "90698825", "38618901"],
    [20000000000, "65353130", "77737706", "47863826"],
  ])(
    "TO-1 TOTP gives the codes of RFC 6238 appendix B at %d, leading zeros and times past 32 bits too",
    (time, ...codes) => {
      const now = new Date(time * 1_000);
      const made = TOTP_ALGORITHMS.map((algorithm) =>
        totp(SEEDS[algorithm], now, { algorithm, digits: 8, period: 30 }),
      );
      expect(made).toEqual(codes);
    },
  );

  test("TO-2 a remembered drift shifts the window and never widens it; one code alone shifts nothing", () => {
    const secret = new Uint8Array(20).fill(7);
    const now = new Date(1_700_000_000_000);
    const at = (offset: number, drift: number) =>
      matchTotp(
        { secret, settings: USUAL_TOTP, lastStep: null, drift },
        totp(secret, new Date(now.getTime() + offset * 30_000), USUAL_TOTP),
        now,
      );
    for (const drift of [-3, 0, 2])
      for (let offset = -6; offset <= 6; offset += 1)
        expect(at(offset, drift)).toMatchObject(
          Math.abs(offset - drift) <= 1 ? { outcome: "right", offset } : { outcome: "wrong" },
        );
    const once = driftAfter({ drift: 0, lastOffset: null }, -1);
    expect(once).toEqual({ drift: 0, lastOffset: -1 });
    const twice = driftAfter(once, -1);
    expect(twice).toEqual({ drift: -1, lastOffset: -1 });
    expect(driftAfter(twice, -2)).toEqual({ drift: -1, lastOffset: -2 });
    expect(driftAfter({ drift: 0, lastOffset: 21 }, 21)).toEqual({ drift: 0, lastOffset: 21 });
  });

  test("TO-2 one step before and after is taken, no further; the step changes at 30.000 seconds", () => {
    const now = new Date(1_700_000_010_000);
    const present = totpStep(now, USUAL_TOTP);
    const outcomes = [-2, -1, 0, 1, 2].map(
      (drift) =>
        matchTotp(
          { secret: SECRET, settings: USUAL_TOTP, lastStep: null },
          hotp(SECRET, present + drift, USUAL_TOTP),
          now,
        ).outcome,
    );
    expect(outcomes).toEqual(["wrong", "right", "right", "right", "wrong"]);
    expect(totpStep(new Date(29_999), USUAL_TOTP)).toBe(0);
    expect(totpStep(new Date(30_000), USUAL_TOTP)).toBe(1);
  });

  test("TO-3 no step at or before the last one spent is taken", () => {
    const now = new Date(1_700_000_010_000);
    const present = totpStep(now, USUAL_TOTP);
    const outcomes = [-1, 0, 1].map(
      (drift) =>
        matchTotp(
          { secret: SECRET, settings: USUAL_TOTP, lastStep: present },
          hotp(SECRET, present + drift, USUAL_TOTP),
          now,
        ).outcome,
    );
    expect(outcomes).toEqual(["used", "used", "right"]);
  });

  test("TO-12 all steps of the window are computed and compared in constant time, whether or not an early one matches", () => {
    const source = readFileSync(new URL("totp.ts", import.meta.url), "utf8");
    const body = source.slice(
      source.indexOf("export function matchTotp"),
      source.indexOf("export function readTotpCode"),
    );
    // The comparison is the platform's, stands before anything that could skip it, and nothing leaves the loop early.
    expect(body).toMatch(/!timingSafeEqual\(wanted, shown\) \|\| match\.outcome/);
    expect(body).not.toMatch(/break|return match[^;]*;[^}]*}\s*}/);
    const now = new Date(1_700_000_010_000);
    const present = totpStep(now, USUAL_TOTP);
    for (const drift of [-1, 0, 1])
      expect(
        matchTotp(
          { secret: SECRET, settings: USUAL_TOTP, lastStep: null },
          hotp(SECRET, present + drift, USUAL_TOTP),
          now,
        ),
      ).toMatchObject({ outcome: "right", step: present + drift });
  });

  test("TO-11 a typed code is read as text of exactly the set digits", () => {
    expect(
      ["012345", "123 456", "12-34-56", "１２３４５６", "٠١٢٣٤٥", "𝟎𝟏𝟐𝟑𝟒𝟓"].map((typed) =>
        readTotpCode(typed, 6),
      ),
    ).toEqual(["012345", "123456", "123456", "123456", "012345", "012345"]);
    for (const typed of ["", "12345", "1234567", "abcdef", "1e5", "12345x", "½½½½½½"])
      expect(readTotpCode(typed, 6)).toBeNull();
  });

  test("TO-11 whatever is typed is read as so many ASCII digits or not at all", () => {
    fc.assert(
      fc.property(fc.string({ unit: "binary", maxLength: 20 }), (typed) => {
        const read = readTotpCode(typed, 6);
        expect(read === null || /^[0-9]{6}$/.test(read)).toBe(true);
      }),
    );
  });
});

describe("base32", () => {
  test("TO-10 going out it is upper case without padding; coming in it is tolerant", () => {
    expect(writeBase32(Buffer.from("foobar"))).toBe("MZXW6YTBOI");
    expect(writeBase32(Buffer.from("foo"))).toBe("MZXW6");
    for (const typed of ["MZXW6YTBOI", "MZXW6YTBOI======", "mzxw 6ytb oi", "MZXW-6YTB-OI"])
      expect(Buffer.from(readBase32(typed)).toString()).toBe("foobar");
  });

  test("TO-10 what is no base32 is refused, and the letter is named", () => {
    for (const [typed, said] of [
      ["MZXW0", "“0”"],
      ["MZXW1", "“1”"],
      ["8ZXW6", "“8”"],
      ["9ZXW6", "“9”"],
      ["M", "1 letters"],
      ["MZX", "3 letters"],
      ["MZXW6Y", "6 letters"],
    ] as const)
      expect(() => readBase32(typed)).toThrow(said);
  });

  test("TO-10 every run of bytes is read back", () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 64 }), (bytes) => {
        expect([...readBase32(writeBase32(bytes).toLowerCase())]).toEqual([...bytes]);
      }),
    );
  });
});

describe("key URIs", () => {
  const about = (issuer: string, account: string) =>
    ({ issuer, account, secret: new Uint8Array(randomBytes(20)), settings: USUAL_TOTP }) as const;

  test("TO-9 names the issuer twice alike; a blank is %20, a colon %3A", () => {
    const uri = writeKeyUri({ ...about("Brina Huts: office", "anna@brina.example"), secret: SECRET });
    expect(uri).toBe(
      "otpauth://totp/Brina%20Huts%3A%20office:anna%40brina.example?secret=GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ&issuer=Brina%20Huts%3A%20office&algorithm=SHA1&digits=6&period=30",
    );
  });

  test("TO-9 every name is read back", () => {
    fc.assert(
      fc.property(
        fc.string({ unit: "grapheme", minLength: 1 }),
        fc.string({ unit: "grapheme", minLength: 1 }),
        (issuer, account) => {
          fc.pre(account.trim() === account && account !== "");
          const written = about(issuer, account);
          expect(readKeyUri(writeKeyUri(written))).toEqual(written);
        },
      ),
    );
  });

  test("TO-4 what is no key URI, and a secret under 128 bits, is refused", () => {
    for (const [text, said] of [
      ["https://brina.example", "otpauth://totp/"],
      ["otpauth://totp/a?secret=MZXW6YTBOI", "under 128 bits"],
      [`otpauth://totp/a?secret=${writeBase32(SECRET)}&digits=7`, "digits is one of 6, 8"],
      ["otpauth://totp/a?secret=0", "“0”"],
    ] as const)
      expect(() => readKeyUri(text)).toThrow(said);
  });
});
