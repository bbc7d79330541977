import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { readEmail, readIdentifier, readUsername } from "./identifier.ts";

describe("identifiers", () => {
  test("SI-13 letter case does not matter, in every part and script", () => {
    expect(readEmail("Anna.Larice@Brina.Example")?.key).toBe("anna.larice@brina.example");
    expect(readEmail("ÉLAN@brina.example")?.key).toBe(readEmail("élan@brina.example")?.key);
    expect(readUsername("ANNA")?.key).toBe("anna");
  });

  test("SI-13 composed and decomposed accents are one letter", () => {
    expect(readUsername("e\u0301lan")?.key).toBe(readUsername("\u00e9lan")?.key);
  });

  test.each([
    ["an accent", "anna", "ànna"],
    ["ß for ss", "strasse", "straße"],
    ["a Cyrillic look-alike", "anna", "аnna"],
    ["dotless i", "irene", "ırene"],
  ])("SI-13 %s makes another name", (_what, left, right) => {
    expect(readUsername(right)?.key).not.toBe(readUsername(left)?.key);
    expect(readEmail(`${right}@brina.example`)?.key).not.toBe(readEmail(`${left}@brina.example`)?.key);
  });

  test.each([
    "anna ",
    " anna",
    "an na",
    "an\u0000na",
    "\u212aelvin",
    "\uff41nna",
    "a",
    "x".repeat(41),
    "an@na",
    "-anna",
    "anna\u200b",
  ])("SI-13 the username %j is refused", (typed) => {
    expect(readUsername(typed)).toBeNull();
  });

  test.each([
    "anna",
    "@brina.example",
    "anna@",
    "anna@brina",
    "anna@brina.example ",
    " anna@brina.example",
    "an na@brina.example",
    "anna@bri na.example",
    "anna..larice@brina.example",
    `${"x".repeat(65)}@brina.example`,
    `anna@${"x".repeat(300)}.example`,
    "anna@brina.example\r\nBcc: all@brina.example",
    "anna@@brina.example",
    "<anna@brina.example>",
  ])("the address %j is refused", (typed) => {
    expect(readEmail(typed)).toBeNull();
  });

  test("the domain is kept in its ASCII form", () => {
    expect(readEmail("anna@hütte.example")?.key).toBe("anna@xn--htte-0ra.example");
  });

  test("a typed identifier is an address if it has an @, else a username", () => {
    expect(readIdentifier("Anna@brina.example")).toEqual({ kind: "email", key: "anna@brina.example" });
    expect(readIdentifier("Anna")).toEqual({ kind: "username", key: "anna" });
  });

  test("a sign that is composed of an allowed one and a mark is refused in either spelling", () => {
    for (const sign of ["\u2260", "=\u0338", "a=\u0338b"])
      expect(readEmail(`${sign}@brina.example`)).toBeNull();
  });

  test("a normal form is its own normal form, whatever was typed", () => {
    fc.assert(
      fc.property(fc.string({ unit: "grapheme", maxLength: 20 }), (typed) => {
        const username = readUsername(typed);
        if (username !== null) expect(readUsername(username.key)?.key).toBe(username.key);
        const email = readEmail(`${typed}@brina.example`);
        if (email !== null) expect(readEmail(email.key)?.key).toBe(email.key);
      }),
      { numRuns: 1_000 },
    );
  });
});
