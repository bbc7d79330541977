import { createHash, randomBytes } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { hashRecoveryCode, readRecoveryCode, RECOVERY_CODE_BYTES, recoveryCodeOf } from "./index.ts";

describe("recovery codes", () => {
  test("TO-13 each carries 75 random bits, in signs that are not easily taken for others", () => {
    const codes = Array.from({ length: 2_000 }, () => recoveryCodeOf(randomBytes(RECOVERY_CODE_BYTES)));
    expect(new Set(codes).size).toBe(codes.length);
    const signs = new Set(codes.join("").replaceAll("-", ""));
    expect(signs.size).toBe(32);
    for (const sign of "ilou") expect(signs).not.toContain(sign);
    for (const code of codes) expect(code).toMatch(/^[0-9a-z]{5}-[0-9a-z]{5}-[0-9a-z]{5}$/);
    expect(Math.log2(signs.size) * 15).toBeGreaterThanOrEqual(64);
  });

  test("TO-14 case, blanks and dashes do not matter, and look-alikes are read as what they must be", () => {
    fc.assert(
      fc.property(
        fc.uint8Array({ minLength: RECOVERY_CODE_BYTES, maxLength: RECOVERY_CODE_BYTES }),
        (random) => {
          const code = recoveryCodeOf(random);
          const bare = code.replaceAll("-", "");
          const typed = [
            code,
            bare,
            code.toUpperCase(),
            ` ${code} `,
            code.replaceAll("0", "O").replaceAll("1", "l"),
          ];
          expect(typed.map(readRecoveryCode)).toEqual(typed.map(() => bare));
        },
      ),
    );
    for (const typed of ["", "abcde-fghij", "aaaaa-bbbbb-ccccu", "aaaaa-bbbbb-ccccc-d"])
      expect(readRecoveryCode(typed)).toBeNull();
  });

  test("TO-13 what is stored is keyed and bound to the account", () => {
    const key = randomBytes(32);
    const code = "abcdefghjkmnpqr";
    const stored = hashRecoveryCode(key, { accountId: "a", code });
    expect(stored).not.toEqual(hashRecoveryCode(key, { accountId: "b", code }));
    expect(stored).not.toEqual(hashRecoveryCode(randomBytes(32), { accountId: "a", code }));
    expect(stored).not.toEqual(createHash("sha256").update(code).digest());
  });
});
