import { expect, test } from "@jest/globals";
import fc from "fast-check";
import {
  countsFrom,
  endsOthersForGood,
  joinGrounds,
  NO_GROUNDS,
  ownLastChange,
  provedSinceOf,
  undoOfFactor,
  windowStart,
} from "./from-before.ts";

const DAY = 86_400_000;
const time = fc.integer({ min: 0, max: 60 * DAY }).map((at) => new Date(at));
const maybe = fc.option(time);

test("RC-13 what was shown goes back to the oldest of it, and what is made by it counts from then, or from its own time", () => {
  fc.assert(
    fc.property(maybe, maybe, time, (one, other, madeAt) => {
      const shown = joinGrounds(
        { provedSince: one, standsSince: null },
        { provedSince: other, standsSince: null },
        NO_GROUNDS,
      );
      const known = [one, other].filter((at) => at !== null).map((at) => at.getTime());
      expect(shown.provedSince?.getTime() ?? Infinity).toBe(Math.min(Infinity, ...known));
      expect(provedSinceOf(madeAt, shown).getTime()).toBe(Math.min(madeAt.getTime(), ...known));
    }),
  );
});

test("RC-13 a chain of proofs counts if its first link stood; one that begins with a mailbox alone counts from itself", () => {
  const start = new Date(20 * DAY);
  const made = (at: number, provedSince: Date | null) => provedSinceOf(new Date(at * DAY), { provedSince });
  const old = made(1, null);
  const later = made(30, made(25, old));
  expect(countsFrom({ provedSince: later, endedAt: null }, start)).toBe(true);
  const byMail = made(30, made(25, null));
  expect(countsFrom({ provedSince: byMail, endedAt: null }, start)).toBe(false);
  // What ended at that very moment did not stand; a browser in which the mailbox alone was shown never does.
  expect(countsFrom({ provedSince: old, endedAt: start }, start)).toBe(false);
  expect(countsFrom({ provedSince: null, endedAt: null }, start)).toBe(false);
});

test("RC-13 the window begins seven days before the change, or when the address of a younger account was first proved", () => {
  fc.assert(
    fc.property(time, maybe, (at, firstProvedAt) => {
      const start = windowStart({ at }, firstProvedAt);
      expect(start <= at).toBe(true);
      expect(start.getTime()).toBeGreaterThanOrEqual(at.getTime() - 7 * DAY);
      if (firstProvedAt !== null && firstProvedAt <= at)
        expect(start >= firstProvedAt || start.getTime() === at.getTime() - 7 * DAY).toBe(true);
    }),
  );
});

test("RC-15 only a change in a browser, or with a factor, that stood itself ends others", () => {
  const set = (setAt: number, standsSince: number | null) => ({
    setAt: new Date(setAt * DAY),
    standsSince: standsSince === null ? null : new Date(standsSince * DAY),
    setInBrowser: null,
  });
  const start = new Date(20 * DAY);
  const [owners, intruders, mailed] = [set(21, 3), set(22, 21), set(23, null)];
  expect(ownLastChange([owners, intruders, mailed], start)).toBe(owners);
  expect(ownLastChange([intruders, mailed], start)).toBeNull();
  // One before the window is no change of the window; for whatever comes later it counts by the days before itself.
  expect(ownLastChange([set(19, 3)], start)).toBeNull();
  expect(endsOthersForGood(set(19, 3), new Date(0))).toBe(true);
  expect(endsOthersForGood(set(19, 15), new Date(0))).toBe(false);
  expect(endsOthersForGood(mailed, new Date(0))).toBe(false);
});

test("RC-13 an undoing takes what came meanwhile, brings back what went meanwhile, and leaves all else alone", () => {
  fc.assert(
    fc.property(time, maybe, time, time, (since, removed, one, other) => {
      const [start, end] = one <= other ? [one, other] : [other, one];
      const removedAt = removed !== null && removed >= since ? removed : null;
      const becomes = undoOfFactor({ since, removedAt }, { start, end });
      if (since >= end) expect(becomes).toBe("as-it-is");
      else if (since >= start) expect(becomes).toBe("goes");
      else
        expect(becomes).toBe(
          removedAt !== null && removedAt >= start && removedAt < end ? "comes-back" : "as-it-is",
        );
    }),
  );
});
