import { describe, expect, test } from "@jest/globals";
import { judgeLink, LINK_LIVES } from "./index.ts";

const now = new Date("2026-05-01T12:00:00.000Z");
const link = {
  purpose: "reset",
  emailKey: "anna@brina.example",
  expiresAt: new Date(now.getTime() + LINK_LIVES.reset),
  spentAt: null,
  supersededAt: null,
} as const;
const question = { purpose: "reset", emailKey: "anna@brina.example", now } as const;

describe("a mail link", () => {
  test("LI-2 works until its limit, and not at it", () => {
    const at = (milliseconds: number) => ({ ...question, now: new Date(now.getTime() + milliseconds) });
    expect(judgeLink(link, at(LINK_LIVES.reset - 1_000))).toBeNull();
    expect(judgeLink(link, at(LINK_LIVES.reset))).toBe("expired");
    expect(LINK_LIVES).toMatchObject({ reset: 1_800_000, "sign-in": 600_000, verify: 86_400_000 });
  });

  test("LI-5 for another purpose, or to an address that the account no longer has, it is unknown", () => {
    expect(judgeLink(link, { ...question, purpose: "sign-in" })).toBe("unknown");
    expect(judgeLink(link, { ...question, emailKey: "anna.larice@brina.example" })).toBe("unknown");
    expect(judgeLink(link, { ...question, emailKey: null })).toBe("unknown");
    expect(judgeLink(null, question)).toBe("unknown");
  });

  test("used comes before superseded, and that before expired", () => {
    const later = { ...question, now: new Date(now.getTime() + 10 * LINK_LIVES.reset) };
    expect(judgeLink({ ...link, spentAt: now, supersededAt: now }, later)).toBe("used");
    expect(judgeLink({ ...link, supersededAt: now }, later)).toBe("superseded");
  });
});
