import { randomBytes } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import type { KeyRing } from "./index.ts";
import { NONCE_LENGTH, open, seal, sealedUnder, SealError } from "./index.ts";

const [k1, k2] = [randomBytes(32), randomBytes(32)];
const ring: KeyRing = { current: "k1", keys: new Map([["k1", k1]]) };
const rotated: KeyRing = {
  current: "k2",
  keys: new Map([
    ["k1", k1],
    ["k2", k2],
  ]),
};
const place = { table: "mail", record: "row-1", purpose: "body" };
const make = (plain: string, under = ring) => seal(under, plain, place, randomBytes(NONCE_LENGTH));

describe("sealing", () => {
  test("JO-6 property: what was sealed opens, and the text is not in it", () => {
    fc.assert(
      fc.property(fc.string({ unit: "grapheme" }), (plain) => {
        const sealed = make(plain);
        expect(open(ring, sealed, place)).toBe(plain);
        if (plain.length > 3) expect(sealed).not.toContain(plain);
      }),
    );
  });

  test("JO-6 one bit changed anywhere, or the tag cut, and it does not open", () => {
    const sealed = make("a secret that must be read back");
    const bytes = Buffer.from(sealed.slice(3), "base64url");
    for (let bit = 0; bit < bytes.length * 8; bit += 1) {
      const changed = Buffer.from(bytes);
      changed[bit >> 3] = (changed[bit >> 3] ?? 0) ^ (1 << (bit & 7));
      expect(() => open(ring, `k1:${changed.toString("base64url")}`, place)).toThrow(SealError);
    }
    for (const cut of [1, 4, 16, bytes.length])
      expect(() => open(ring, `k1:${bytes.subarray(0, -cut).toString("base64url")}`, place)).toThrow(
        SealError,
      );
    for (const other of [sealed.replace("k1:", "k2:"), sealed.replace("k1:", ""), `${sealed}=`, ""])
      expect(() => open(rotated, other, place)).toThrow(SealError);
  });

  test("JO-6 moved to another row, table or purpose it does not open", () => {
    const sealed = make("bound to its place");
    for (const moved of [{ record: "row-2" }, { table: "totp" }, { purpose: "subject" }])
      expect(() => open(ring, sealed, { ...place, ...moved })).toThrow(SealError);
    expect(
      () => make.call(null, "x") && seal(ring, "x", { ...place, record: "a\nb" }, randomBytes(12)),
    ).toThrow(RangeError);
  });

  test("JO-7 after a rotation old values open and new ones use the new key", () => {
    const old = make("from before");
    expect(open(rotated, old, place)).toBe("from before");
    expect(sealedUnder(make("from now", rotated))).toBe("k2");
    expect(sealedUnder("nonsense")).toBeNull();
  });

  test("JO-6 ten thousand values have ten thousand nonces", () => {
    const nonces = Array.from({ length: 10_000 }, () => make("the same").slice(3, 19));
    expect(new Set(nonces).size).toBe(10_000);
  });
});
