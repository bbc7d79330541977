import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { judgeNewPassword, preparePassword } from "./index.ts";

const rules = { minimumLength: 15 };
const accepted = (typed: string) => judgeNewPassword(typed, rules).ok;

describe("preparing a password", () => {
  test("PW-4 NFC and other spaces are applied; case and width stay", () => {
    expect(preparePassword("e\u0301")).toEqual(preparePassword("\u00e9"));
    expect(preparePassword("a\u00a0b")).toEqual(preparePassword("a b"));
    expect(preparePassword("a\u3000b")).toEqual(preparePassword("a b"));
    expect(preparePassword("A")).not.toEqual(preparePassword("a"));
    expect(preparePassword("\uff41")).not.toEqual(preparePassword("a"));
  });

  test.each([
    ["", "empty"],
    ["with\u0000nul", "control-character"],
    ["with\nbreak", "control-character"],
    ["with\u007fdelete", "control-character"],
    ["lone \ud800 surrogate", "ill-formed"],
  ])("PW-5 %j is refused as %s, never repaired", (typed, fault) => {
    expect(preparePassword(typed)).toEqual({ ok: false, fault });
  });

  test("PW-3 every length up to 256 code points, counted after NFC, not in bytes or UTF-16 units", () => {
    for (const length of [15, 64, 128, 256]) expect(accepted("ä".repeat(length))).toBe(true);
    expect(accepted("🏔️".repeat(128))).toBe(true);
    expect(accepted("🦅".repeat(256))).toBe(true);
    expect(accepted("e\u0301".repeat(256))).toBe(true);
    expect(accepted("x".repeat(257))).toBe(false);
    const emoji = Array.from({ length: 15 }, (_, index) => String.fromCodePoint(0x1f400 + index));
    expect(accepted(emoji.join(""))).toBe(true);
    expect(accepted(emoji.slice(1).join(""))).toBe(false);
    expect(accepted("e\u0301".repeat(14))).toBe(false);
    expect(judgeNewPassword("x".repeat(257), rules)).toMatchObject({
      code: "password-too-long",
      parameters: { most: 256 },
    });
  });

  test("PW-22 absurdly long input is refused without normalising it", () => {
    const typed = "e\u0301".repeat(50_000);
    const calls: string[] = [];
    const normalize = String.prototype.normalize;
    String.prototype.normalize = function (this: string, ...form: []) {
      calls.push("called");
      return normalize.apply(this, form);
    };
    try {
      expect(preparePassword(typed)).toEqual({ ok: false, fault: "too-long" });
    } finally {
      String.prototype.normalize = normalize;
    }
    expect(calls).toEqual([]);
  });

  test("PW-6 no kind of character is asked for", () => {
    const kinds = [
      "abcdefghijklmno",
      "123456789012345",
      "     spaces     ",
      "горныйприютлиственница",
      "~!@#$%^&*()_+{}|",
    ];
    for (const typed of kinds) expect(accepted(typed)).toBe(true);
  });

  test("PW-1 fourteen are refused naming the length, fifteen accepted", () => {
    expect(judgeNewPassword("x".repeat(14), rules)).toMatchObject({
      code: "password-too-short",
      parameters: { least: 15, length: 14 },
    });
    expect(accepted("x".repeat(15))).toBe(true);
  });

  test("PW-5 preparing never throws, and what it gives prepares to itself", () => {
    const anything = fc.string({
      unit: fc.nat(0xffff).map((unit) => String.fromCharCode(unit)),
      maxLength: 40,
    });
    fc.assert(
      fc.property(anything, (typed) => {
        const prepared = preparePassword(typed);
        if (prepared.ok) expect(preparePassword(prepared.text)).toEqual(prepared);
      }),
    );
  });
});
