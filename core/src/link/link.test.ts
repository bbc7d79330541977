import { describe, expect, test } from "@jest/globals";
import { judgeLink } from "./index.ts";

const LIFE = 30 * 60_000;

const now = new Date("2026-05-01T12:00:00.000Z");
const link = {
  purpose: "reset",
  emailKey: "anna@brina.example",
  expiresAt: new Date(now.getTime() + LIFE),
  spentAt: null,
  supersededAt: null,
} as const;
const question = { purpose: "reset", emailKey: "anna@brina.example", now } as const;

describe("a mail link", () => {
  test("LI-2 works until its limit, and not at it", () => {
    const at = (milliseconds: number) => ({ ...question, now: new Date(now.getTime() + milliseconds) });
    expect(judgeLink(link, at(LIFE - 1_000))).toBeNull();
    expect(judgeLink(link, at(LIFE))).toBe("expired");
  });

  test("LI-5 for another purpose, or to an address that the account no longer has, it is unknown", () => {
    expect(judgeLink(link, { ...question, purpose: "sign-in" })).toBe("unknown");
    expect(judgeLink(link, { ...question, emailKey: "anna.larice@brina.example" })).toBe("unknown");
    expect(judgeLink(link, { ...question, emailKey: null })).toBe("unknown");
    expect(judgeLink(null, question)).toBe("unknown");
  });

  test("used comes before superseded, and that before expired", () => {
    const later = { ...question, now: new Date(now.getTime() + 10 * LIFE) };
    expect(judgeLink({ ...link, spentAt: now, supersededAt: now }, later)).toBe("used");
    expect(judgeLink({ ...link, supersededAt: now }, later)).toBe("superseded");
  });
});
