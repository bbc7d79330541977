import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import type { PhcString } from "./phc.ts";
import { phc, PhcReadError } from "./phc.ts";

const name = fc.stringMatching(/^[a-z0-9-]{1,12}$/).filter((text) => text !== "v");
const value = fc.stringMatching(/^[a-zA-Z0-9/+.-]{1,12}$/);
const bytes = fc.uint8Array({ minLength: 1, maxLength: 64 });
const phcString: fc.Arbitrary<PhcString> = fc.record(
  {
    id: name,
    version: fc.nat(),
    parameters: fc.uniqueArray(fc.tuple(name, value), { selector: ([key]) => key, maxLength: 5 }),
    salt: bytes,
    hash: bytes,
  },
  { requiredKeys: ["id", "parameters", "salt"] },
);

describe("PHC strings", () => {
  test("PW-18 decode(encode(x)) is x", () => {
    fc.assert(fc.property(phcString, (one) => expect(phc.decode(phc.encode(one))).toEqual(one)));
  });

  test("PW-18 whatever is read is written back byte for byte, and nothing crashes the reader", () => {
    const almost = fc.stringMatching(/^\$[a-z0-9$=,+/.A-Z-]{0,80}$/);
    fc.assert(
      fc.property(fc.oneof(almost, fc.string()), (text) => {
        try {
          expect(phc.encode(phc.decode(text))).toBe(text);
        } catch (error) {
          expect(error).toBeInstanceOf(PhcReadError);
        }
      }),
      { numRuns: 2_000 },
    );
  });

  test.each([
    ["no dollar in front", "scrypt$ln=15$c2FsdHNhbHQ$aGFzaA"],
    ["an empty name", "$$ln=15$c2FsdA$aGFzaA"],
    ["a doubled parameter", "$scrypt$ln=15,ln=15$c2FsdA$aGFzaA"],
    ["an unknown separator", "$scrypt$ln=15;r=8$c2FsdA$aGFzaA"],
    ["padding", "$scrypt$ln=15$c2FsdA==$aGFzaA"],
    ["a surplus part", "$scrypt$ln=15$c2FsdA$aGFzaA$aGFzaA"],
    ["a part too few at the end", "$scrypt$ln=15$c2FsdA$"],
    ["characters outside base64", "$scrypt$ln=15$c2Fs_A$aGFzaA"],
    ["surplus bits in the last character", "$scrypt$ln=15$c2FsdB$aGFzaA"],
    ["a version with a leading zero", "$argon2id$v=019$m=16$c2FsdA$aGFzaA"],
    ["more text than any record has", `$scrypt$ln=15$${"A".repeat(2_000)}$aGFzaA`],
  ])("PW-18 %s is refused, without echoing the text", (_what, text) => {
    expect(() => phc.decode(text)).toThrow(PhcReadError);
    try {
      phc.decode(text);
    } catch (error) {
      expect((error as Error).message).not.toContain("aGFzaA");
    }
  });
});
