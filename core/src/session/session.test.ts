import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import {
  beginLevel,
  beginSessionTimes,
  idleEndAfterUse,
  isSessionAlive,
  isWorthNoting,
  levelIdleEndAfterUse,
  levelOf,
} from "./session.ts";

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const limits = { idle: 30 * MINUTE, absolute: 12 * HOUR };
const start = new Date("2026-06-01T08:00:00.000Z");
const after = (milliseconds: number) => new Date(start.getTime() + milliseconds);

describe("a session's life", () => {
  test("SE-4 it ends when nobody came for the idle time", () => {
    const session = beginSessionTimes(start, limits);
    expect(isSessionAlive(session, after(30 * MINUTE - 1))).toBe(true);
    expect(isSessionAlive(session, after(30 * MINUTE))).toBe(false);
  });

  test("SE-5 use moves the idle limit on, but never past the absolute one", () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 29 * MINUTE }), { maxLength: 60 }), (pauses) => {
        let session = beginSessionTimes(start, limits);
        let now = start;
        for (const pause of pauses) {
          now = new Date(now.getTime() + pause);
          expect(isSessionAlive(session, now)).toBe(now.getTime() - start.getTime() < limits.absolute);
          if (!isSessionAlive(session, now)) return;
          session = { ...session, lastSeenAt: now, idleEndsAt: idleEndAfterUse(session, now, limits) };
          expect(session.idleEndsAt.getTime()).toBeLessThanOrEqual(session.endsAt.getTime());
        }
      }),
    );
  });

  test("last use is worth writing once a minute", () => {
    const session = beginSessionTimes(start, limits);
    expect(isWorthNoting(session, after(MINUTE - 1))).toBe(false);
    expect(isWorthNoting(session, after(MINUTE))).toBe(true);
  });

  test("an ended session is not alive, whatever the clock says", () => {
    expect(isSessionAlive({ ...beginSessionTimes(start, limits), endedAt: start }, after(-HOUR))).toBe(false);
  });
});

describe("a session's level", () => {
  test("SE-4 SE-5 level 2 falls after an idle hour or a day, and no use brings it back", () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 90 * MINUTE }), { maxLength: 60 }), (pauses) => {
        let level = beginLevel(2, start);
        let at = 0;
        let hasFallen = false;
        for (const pause of pauses) {
          at += pause;
          hasFallen ||= pause >= HOUR || at >= 24 * HOUR;
          expect(levelOf(level, after(at))).toBe(hasFallen ? 1 : 2);
          level = { ...level, levelIdleEndsAt: levelIdleEndAfterUse(level, after(at)) };
        }
      }),
    );
    expect(levelOf(beginLevel(1, start), start)).toBe(1);
  });
});
