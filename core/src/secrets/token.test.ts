import { createHash, randomBytes } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import type { TokenKind } from "./token.ts";
import { hashToken, mintToken, TOKEN_PREFIXES } from "./token.ts";

describe("tokens", () => {
  test("SE-1 a token is its prefix and 32 random bytes; what is stored is its SHA-256", () => {
    for (const kind of Object.keys(TOKEN_PREFIXES) as TokenKind[]) {
      const random = randomBytes(32);
      const { plain, hashed } = mintToken(kind, random);
      expect(plain).toBe(TOKEN_PREFIXES[kind] + random.toString("base64url"));
      expect(hashed).toEqual(createHash("sha256").update(plain).digest());
      expect(hashToken(kind, plain)).toEqual(hashed);
    }
  });

  test("SE-1 ten thousand tokens differ, also with Math.random fixed", () => {
    const real = Math.random;
    Math.random = () => 0.5;
    try {
      const tokens = Array.from({ length: 10_000 }, () => mintToken("own-token", randomBytes(32)).plain);
      expect(new Set(tokens).size).toBe(10_000);
    } finally {
      Math.random = real;
    }
  });

  test("a token of one kind is none of another, nor is anything malformed", () => {
    const { plain } = mintToken("own-token", randomBytes(32));
    expect(hashToken("check-token", plain)).toBeNull();
    for (const text of ["", "lcs_", plain.slice(0, -1), `${plain}A`, plain.toUpperCase(), ` ${plain}`]) {
      expect(hashToken("own-token", text)).toBeNull();
    }
    expect(() => mintToken("own-token", randomBytes(16))).toThrow(RangeError);
  });
});
