/** When a mail that could not be sent is tried again. */

const SECOND = 1_000;
const MINUTE = 60 * SECOND;
const HOUR = 60 * MINUTE;
/** Waits after each failed try; together some two days (RFC 5321 section 4.5.4.1 advises four to five for relays, who know nobody's link). */
const WAITS = [
  10 * SECOND,
  30 * SECOND,
  2 * MINUTE,
  5 * MINUTE,
  15 * MINUTE,
  HOUR,
  3 * HOUR,
  6 * HOUR,
  12 * HOUR,
  24 * HOUR,
];

/**
 * @param tries made so far, at least 1. @returns `null`: it is given up.
 * @example
 * ```ts
 * nextMailTryAfter(1, new Date("2026-07-01T06:00:00Z")) // → new Date("2026-07-01T06:00:10.000Z")
 * ```
 */
export function nextMailTryAfter(tries: number, now: Date): Date | null {
  const wait = WAITS[tries - 1];
  return wait === undefined ? null : new Date(now.getTime() + wait);
}
