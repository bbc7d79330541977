import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { isCommon, isMadeOfContext } from "./guessable.ts";

const listed = new Set(["password", "letmein", "qwertyuiop"]);
const common = (text: string) => isCommon(text, (one) => listed.has(one));

describe("common passwords", () => {
  test.each([
    "password",
    "PassWord",
    "password2026",
    "passwordpassword",
    "PASSWORDpassword1",
    "letmeinletmein99",
    "qwertyuiop1234",
  ])("PW-11 %s is refused", (text) => {
    expect(common(text)).toBe(true);
  });

  test("PW-11 others are not: five digits more, a word inside a phrase, random text", () => {
    for (const text of ["password12345", "my password is long", "drowssap", "passwordletmein"])
      expect(common(text)).toBe(false);
    fc.assert(
      fc.property(fc.stringMatching(/^[a-z0-9]{15,30}$/), (text) => expect(common(text)).toBe(false)),
      { numRuns: 1_000 },
    );
  });
});

describe("context words", () => {
  const context = {
    email: "alice.marin@example.org",
    username: "amarin",
    displayName: "Alice Marin",
    siteName: "Example Huts",
  };

  test.each([
    "alice.marin@example.org",
    "alicemarin-2026!!",
    "examplehutsexamplehuts",
    "Example Huts 123456",
    "MARIN alice 2026 huts",
    "amarin.amarin.amarin",
  ])("PW-12 %s is refused", (text) => {
    expect(isMadeOfContext(text, context)).toBe(true);
  });

  test.each([
    "example otter canal lantern",
    "alicemarinx-2026!!",
    "123456789012345",
    "alic marin 2026 ex",
    "otter canal lantern",
  ])("PW-12 %s is fine", (text) => {
    expect(isMadeOfContext(text, context)).toBe(false);
  });

  test("PW-12 another account may use what this one may not", () => {
    expect(
      isMadeOfContext("alicemarin-2026!!", { email: "bruno@brina.example", siteName: "Example Huts" }),
    ).toBe(false);
  });
});
