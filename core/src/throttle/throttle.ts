/**
 * Throttling as decisions: from what was counted to whether a try may go on, and to what is counted then.
 *
 * A try is reserved before it is checked: it counts as a failure at once, and is given back when it was none. So tries
 * that run side by side cannot outrun the count.
 */

/** What a count belongs to. */
export const THROTTLE_KINDS = [
  "account-strange",
  "account-known",
  "account-own",
  "account-factor",
  "account-factor-known",
  "account-factor-reset",
  "account-codes-by-mail",
  "account-usernames",
  "account-hashing",
  "account-changes",
  "account-copies",
  "account-keys",
  "name",
  "undo-link",
  "link-hashing",
  "network",
  "network-registrations",
  "network-mail",
  "network-challenges",
  "address-mail",
  "device-mail",
  "app-work",
] as const;
/** One of `THROTTLE_KINDS`. */
export type ThrottleKind = (typeof THROTTLE_KINDS)[number];

/** A count as it is stored. */
export interface ThrottleCount {
  readonly failures: number;
  /** Until then no try is checked. */
  readonly waitUntil: Date;
  /** When the window of a count that is forgotten began. */
  readonly windowBeganAt: Date;
}

/** How consecutive failures are answered: some free, then waits that double up to a longest, then no more tries. */
export interface ConsecutiveRule {
  readonly kind: "consecutive";
  readonly free: number;
  /** Milliseconds. */
  readonly firstWait: number;
  readonly longestWait: number;
  /** After so many failures nothing is checked any more, until somebody releases it. */
  readonly most: number;
}

/** So many in a window of time, whatever happened before it. */
export interface WindowRule {
  readonly kind: "window";
  readonly most: number;
  /** Milliseconds. */
  readonly window: number;
}

/** How a kind of count grows, makes wait, and is forgotten. */
export type ThrottleRule = ConsecutiveRule | WindowRule;

/** Whether a try is let through, with the count that is then stored. */
export type Reservation =
  /** The try may be checked; `next` is stored first, in the place of exactly what was read. */
  | { readonly outcome: "reserved"; readonly next: ThrottleCount }
  | { readonly outcome: "wait"; readonly until: Date }
  /** Closed until it is released; `until` is only what is told, so that the reply looks like any other wait. */
  | { readonly outcome: "closed"; readonly until: Date };

/** At most this many consecutive failures count against one account, over all its budgets (NIST SP 800-63B-4 3.2.2). */
export const MAX_FAILURES = 100;
/** Of these, so many from known devices; the rest from strange ones. */
export const MAX_FAILURES_OF_KNOWN_DEVICES = 10;

/**
 * A count that nothing was counted in.
 * @example
 * ```ts
 * emptyCount(new Date("2026-07-01T06:00:00Z")).failures // → 0
 * ```
 */
export function emptyCount(now: Date): ThrottleCount {
  return { failures: 0, waitUntil: now, windowBeganAt: now };
}

/** Decides about one more try. */
export function reserveTry(count: ThrottleCount, rule: ThrottleRule, now: Date): Reservation {
  return rule.kind === "window" ? reserveInWindow(count, rule, now) : reserveConsecutive(count, rule, now);
}

function reserveConsecutive(count: ThrottleCount, rule: ConsecutiveRule, now: Date): Reservation {
  if (count.failures >= rule.most) {
    return { outcome: "closed", until: new Date(now.getTime() + rule.longestWait) };
  }
  // Where nothing is waited for, a try beside this one may have been noted a moment later than it came.
  const isWaitWanted = waitAfter(count.failures, rule) > 0;
  if (isWaitWanted && now < count.waitUntil) return { outcome: "wait", until: count.waitUntil };
  const failures = count.failures + 1;
  const waitUntil = new Date(now.getTime() + waitAfter(failures, rule));
  return { outcome: "reserved", next: { ...count, failures, waitUntil } };
}

function reserveInWindow(count: ThrottleCount, rule: WindowRule, now: Date): Reservation {
  const ends = new Date(count.windowBeganAt.getTime() + rule.window);
  // Tries that open a window side by side see it begin a little later than they came: that opens no other one. One that
  // begins far ahead is of a clock that was moved back since.
  const isAhead = count.windowBeganAt.getTime() - now.getTime() > rule.window;
  if (now >= ends || isAhead) {
    return { outcome: "reserved", next: { failures: 1, waitUntil: now, windowBeganAt: now } };
  }
  if (count.failures >= rule.most) return { outcome: "wait", until: ends };
  return { outcome: "reserved", next: { ...count, failures: count.failures + 1 } };
}

/**
 * Milliseconds to wait after so many consecutive failures: none while they are free, then doubling up to the longest.
 * @example
 * ```ts
 * const rule = { kind: "consecutive", free: 3, firstWait: 5_000, longestWait: 900_000, most: 100 };
 * waitAfter(3, rule) // → 5000
 * waitAfter(6, rule) // → 40000
 * ```
 */
export function waitAfter(failures: number, rule: ConsecutiveRule): number {
  if (failures < rule.free) return 0;
  return Math.min(rule.longestWait, rule.firstWait * 2 ** Math.min(failures - rule.free, 40));
}
