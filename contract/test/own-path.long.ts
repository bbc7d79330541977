import { expect, test } from "@jest/globals";
import fc from "fast-check";
import { ownPathOr } from "../src/own-path.ts";

const FALLBACK = "/account";
const PART = fc.constantFrom(
  "/",
  "\\",
  "//",
  ":",
  "@",
  "?",
  "#",
  "%2f",
  "%5c",
  "..",
  ".",
  "\t",
  "evil.test",
  "https",
  "a",
);

test("HT-6 two hundred thousand addresses to go on to: none leads to another host", () => {
  fc.assert(
    fc.property(fc.array(PART, { maxLength: 9 }), (parts) => {
      const next = ownPathOr(FALLBACK, parts.join(""));
      const { origin } = new URL(next, "https://accounts.brina.example");
      expect(origin).toBe("https://accounts.brina.example");
    }),
    { numRuns: 200_000 },
  );
});
