import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { ownPathOr } from "./own-path.ts";

describe("where a page may lead on to", () => {
  test.each(["/account", "/oauth/authorize?client_id=x&state=a%2Fb", "/console#here"])(
    "HT-6 %s is followed",
    (path) => {
      expect(ownPathOr("/default", path)).toBe(path);
    },
  );

  test.each([
    "//evil.test",
    "/\\evil.test",
    "https:evil.test",
    "https://evil.test/",
    "javascript:alert(1)",
    "\\\\evil.test",
    "/\t/evil.test",
    "/\n/evil.test",
    "",
    "evil.test",
    "/.//evil.test",
    "/x/..//evil.test",
    null,
    undefined,
  ])("HT-6 %j is not", (path) => {
    expect(ownPathOr("/default", path)).toBe("/default");
  });

  test("HT-6 an encoded double slash stays a path of ours", () => {
    expect(ownPathOr("/default", "/%2f%2fevil.test")).toBe("/%2f%2fevil.test");
  });

  test("HT-6 below a path only what lies below it is followed", () => {
    expect(ownPathOr("/d", "/accounts/sign-in", "/accounts")).toBe("/accounts/sign-in");
    expect(ownPathOr("/d", "/other", "/accounts")).toBe("/d");
    expect(ownPathOr("/d", "/accountsx", "/accounts")).toBe("/d");
  });

  test("HT-6 whatever is given, a browser stays on the origin", () => {
    const piece = fc.constantFrom(
      "/",
      "\\",
      ".",
      "..",
      "\t",
      "\n",
      "@",
      ":",
      "evil.test",
      "https:",
      "%2f",
      "?",
      "#",
      "a",
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 8 }), (pieces) => {
        const path = ownPathOr("/default", pieces.join(""));
        expect(new URL(path, "https://own.example").origin).toBe("https://own.example");
      }),
      { numRuns: 3_000 },
    );
  });
});
