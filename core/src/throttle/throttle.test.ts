import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import type { ConsecutiveRule } from "./throttle.ts";
import { emptyCount, reserveTry, waitAfter } from "./throttle.ts";

const rule: ConsecutiveRule = {
  kind: "consecutive",
  free: 5,
  firstWait: 5_000,
  longestWait: 900_000,
  most: 90,
};
const start = new Date("2026-06-01T08:00:00Z");

describe("throttling", () => {
  test("TH-2 waits never shrink, double, and end at the longest", () => {
    expect([1, 4, 5, 6, 7].map((failures) => waitAfter(failures, rule))).toEqual([
      0, 0, 5_000, 10_000, 20_000,
    ]);
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 10_000 }), (failures) => {
        expect(waitAfter(failures + 1, rule)).toBeGreaterThanOrEqual(waitAfter(failures, rule));
        expect(waitAfter(failures, rule)).toBeLessThanOrEqual(rule.longestWait);
      }),
    );
  });

  test("TH-1 however the tries are spread over time, never more than the most are checked", () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 3_600_000 }), { minLength: 150, maxLength: 300 }),
        (pauses) => {
          let count = emptyCount(start);
          let now = start;
          let checked = 0;
          for (const pause of pauses) {
            now = new Date(now.getTime() + pause);
            const reservation = reserveTry(count, rule, now);
            if (reservation.outcome !== "reserved") {
              expect(reservation.until.getTime()).toBeGreaterThan(now.getTime());
              continue;
            }
            checked += 1;
            count = reservation.next;
          }
          expect(checked).toBeLessThanOrEqual(rule.most);
        },
      ),
    );
  });

  test("TH-1 TH-6 tries side by side, whose clocks are some milliseconds apart, are counted like any others", () => {
    const window = { kind: "window", most: 3, window: 60_000 } as const;
    const apart = fc.array(fc.integer({ min: -50, max: 50 }), { minLength: 10, maxLength: 40 });
    fc.assert(
      fc.property(apart, (offsets) => {
        for (const [one, most] of [
          [window, window.most],
          [rule, rule.free],
        ] as const) {
          let count = emptyCount(start);
          const outcomes = offsets.map((offset) => {
            const reservation = reserveTry(count, one, new Date(start.getTime() + offset));
            if (reservation.outcome === "reserved") count = reservation.next;
            return reservation.outcome;
          });
          expect(outcomes.map((outcome) => outcome === "reserved")).toEqual(
            offsets.map((_, index) => index < most),
          );
        }
      }),
    );
    // A clock that was moved far back keeps nobody waiting for a window that has not begun.
    const ahead = { ...emptyCount(new Date(start.getTime() + 86_400_000)), failures: 3 };
    expect(reserveTry(ahead, window, start)).toMatchObject({ outcome: "reserved", next: { failures: 1 } });
  });

  test("TH-6 a window lets so many through and begins anew when it has passed", () => {
    const window = { kind: "window", most: 3, window: 60_000 } as const;
    let count = emptyCount(start);
    for (let index = 0; index < 3; index += 1) {
      const reservation = reserveTry(count, window, start);
      if (reservation.outcome !== "reserved") throw new Error("refused too early");
      count = reservation.next;
    }
    expect(reserveTry(count, window, new Date(start.getTime() + 59_999))).toMatchObject({ outcome: "wait" });
    expect(reserveTry(count, window, new Date(start.getTime() + 60_000))).toMatchObject({
      outcome: "reserved",
      next: { failures: 1 },
    });
  });
});
