import { randomBytes } from "node:crypto";
import { expect, test } from "@jest/globals";
import fc from "fast-check";
import { explainRecord } from "../password/explain.ts";
import { DEFAULT_SCHEME_TEXT, readScheme, schemeTextOf } from "../password/scheme.ts";
import { MAX_OLD_DIGEST, openDigest, readSealedDigest, sealDigest } from "./sealed-digest.ts";

const ring = {
  current: "k2",
  keys: new Map([
    ["k1", randomBytes(32)],
    ["k2", randomBytes(32)],
  ]),
};
const accountId = "0198f0c2-7a4e-7b1c-9d2e-5f60718293a4";
const recipe = "r5a15c0abe9";

test("an old digest opens as it was, for its own account and under its own key alone", () => {
  fc.assert(
    fc.property(fc.uint8Array({ minLength: 1, maxLength: MAX_OLD_DIGEST }), (digest) => {
      const text = sealDigest(ring, { digest, recipe, accountId }, randomBytes(12));
      expect(text.length).toBeLessThanOrEqual(512);
      const sealed = readSealedDigest(text);
      if (sealed === null) throw new Error("it is not read");
      expect(sealed).toMatchObject({ keyId: "k2", recipe });
      expect(openDigest(ring, sealed, accountId)).toEqual(digest);
      expect(openDigest(ring, sealed, accountId.replace("a4", "a5"))).toBeNull();
      expect(openDigest({ ...ring, keys: new Map([["k2", randomBytes(32)]]) }, sealed, accountId)).toBeNull();
      expect(openDigest({ ...ring, keys: new Map() }, sealed, accountId)).toBeNull();
    }),
  );
  expect(() =>
    sealDigest(ring, { digest: new Uint8Array(MAX_OLD_DIGEST + 1), recipe, accountId }, randomBytes(12)),
  ).toThrow(RangeError);
});

test("what is changed at any place does not open, and what is none is not read", () => {
  const text = sealDigest(ring, { digest: randomBytes(20), recipe, accountId }, randomBytes(12));
  fc.assert(
    fc.property(fc.nat(text.length - 1), fc.constantFrom(..."Ab0$,="), (at, letter) => {
      fc.pre(text[at] !== letter);
      const sealed = readSealedDigest(text.slice(0, at) + letter + text.slice(at + 1));
      // Another recipe's id may be read; the record of the account is then of that one.
      const isOpened = sealed !== null && openDigest(ring, sealed, accountId) !== null;
      expect(isOpened && sealed.recipe === recipe).toBe(false);
    }),
  );
  for (const none of [
    "",
    "$sealed$",
    "$sealed$key=k1$x",
    "$sealed$recipe=r1,key=k1$AAAA$AAAA",
    "$scrypt$ln=5,r=8,p=1$AAAA$AAAA",
  ])
    expect(readSealedDigest(none)).toBeNull();
});

test("it is explained along its own string, and nothing of the box is shown", () => {
  const text = sealDigest(ring, { digest: randomBytes(20), recipe, accountId }, randomBytes(12));
  const { segments, algorithm, scheme, current } = explainRecord(text, readScheme(DEFAULT_SCHEME_TEXT));
  expect({ algorithm, scheme, current }).toEqual({
    algorithm: "sealed",
    scheme: schemeTextOf(text),
    current: false,
  });
  expect(scheme).toBe("$sealed$key=k2,recipe=r5a15c0abe9");
  const shown = segments.map((one) => one.text).join("");
  expect(text.startsWith(shown.slice(0, -1))).toBe(true);
  expect(shown.length).toBeLessThan(text.length);
});
