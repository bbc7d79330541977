import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { estimateStrength } from "./strength.ts";

const context = {
  common: ["password", "dragon", "iloveyou"],
  names: ["anna", "larice", "Brina Huts", "brina"],
};

describe("the estimate of a password's strength", () => {
  test.each([
    ["password", "very weak", /^common$/],
    ["anna.larice", "very weak", /^name$/],
    ["aaaaaaaaaaaaaaaaaaaaaaaa", "very weak", /^repeat$/],
    ["passwordpasswordpassword", "very weak", /^(common|repeat)$/],
    ["abcdefghijklmnopqrstuvwxyz", "very weak", /^(run|common)$/],
    ["qwertyuiopasdfghjkl", "very weak", /^keyboard$/],
    ["1234567890123456", "very weak", /^(keyboard|run|repeat)$/],
    ["dragon 1987", "very weak", /^(common|year)$/],
    ["five huts above the lake", "good", /.|^$/],
    ["otter canal lantern gravel window", "strong", null],
  ])("%s is %s", (typed, grade, advice) => {
    const strength = estimateStrength(typed, context);
    expect(strength.grade).toBe(grade);
    if (advice === null) expect(strength.advice).toBeNull();
    else expect(strength.advice ?? "").toMatch(advice);
  });

  test("property: shortcuts only ever make it weaker", () => {
    fc.assert(
      fc.property(fc.string({ unit: "grapheme", minLength: 6, maxLength: 60 }), (typed) => {
        const knowing = estimateStrength(typed, { ...context, names: [typed] });
        const ignorant = estimateStrength(typed);
        expect(knowing.bits).toBeLessThanOrEqual(ignorant.bits);
        expect(ignorant.bits).toBeLessThanOrEqual(Math.round(4.5 * [...typed].length));
      }),
    );
  });

  test("a long password is answered at once", () => {
    const { grade } = estimateStrength("x7 ".repeat(10_000), context);
    expect(grade).toBe("very weak");
  });
});
