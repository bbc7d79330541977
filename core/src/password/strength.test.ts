import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { estimateStrength } from "./strength.ts";

const context = {
  common: ["password", "dragon", "iloveyou"],
  names: ["anna", "larice", "Brina Huts", "brina"],
};

describe("the estimate of a password's strength", () => {
  test.each([
    ["password", "very weak", /common password/],
    ["anna.larice", "very weak", /your name/],
    ["aaaaaaaaaaaaaaaaaaaaaaaa", "very weak", /repeated/],
    ["passwordpasswordpassword", "very weak", /common password|repeated/],
    ["abcdefghijklmnopqrstuvwxyz", "very weak", /Runs|common/],
    ["qwertyuiopasdfghjkl", "very weak", /side by side/],
    ["1234567890123456", "very weak", /side by side|Runs|repeated/],
    ["dragon 1987", "very weak", /common password|Years/],
    ["five huts above the lake", "good", /.|^$/],
    ["otter canal lantern gravel window", "strong", null],
  ])("%s is %s", (typed, grade, advice) => {
    const strength = estimateStrength(typed, context);
    expect(strength.grade).toBe(grade);
    if (advice === null) expect(strength.advice).toBeNull();
    else expect(strength.advice ?? "").toMatch(advice);
  });

  test("property: shortcuts only ever make it weaker, and advice never repeats the password", () => {
    fc.assert(
      fc.property(fc.string({ unit: "grapheme", minLength: 6, maxLength: 60 }), (typed) => {
        const knowing = estimateStrength(typed, { ...context, names: [typed] });
        const ignorant = estimateStrength(typed);
        expect(knowing.bits).toBeLessThanOrEqual(ignorant.bits);
        expect(ignorant.bits).toBeLessThanOrEqual(Math.round(4.5 * [...typed].length));
        expect(knowing.advice ?? "").not.toContain(typed);
      }),
    );
  });

  test("a long password is answered at once", () => {
    const { grade } = estimateStrength("x7 ".repeat(10_000), context);
    expect(grade).toBe("very weak");
  });
});
