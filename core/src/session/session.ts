/** How long a session lives: an idle limit that use moves on, and an absolute one that nothing moves. */

export const SESSION_KINDS = ["ordinary", "remembered"] as const;
/** Which limits a session has: as usual, or remembered. */
export type SessionKind = (typeof SESSION_KINDS)[number];

/** Limits of one kind of session, in milliseconds. */
export interface SessionLimits {
  readonly idle: number;
  readonly absolute: number;
}

/** What is kept of a session's life. */
export interface SessionTimes {
  readonly createdAt: Date;
  readonly lastSeenAt: Date;
  readonly idleEndsAt: Date;
  readonly endsAt: Date;
  readonly endedAt: Date | null;
}

/** Last use is written once in this many milliseconds, so a session may end up to as much too early. */
export const LAST_SEEN_GRAIN = 60_000;

/** Milliseconds for which a proof counts when something sensitive is to be changed. */
export const REAUTHENTICATION_LIFE = 10 * 60_000;

/**
 * Whether a proof was shown lately enough for a sensitive change. @param authTime when it was shown.
 * @example
 * ```ts
 * const proved = new Date("2026-07-01T06:00:00Z");
 * isFresh(proved, new Date("2026-07-01T06:09:59Z")) // → true
 * isFresh(proved, new Date("2026-07-01T06:10:01Z")) // → false
 * ```
 */
export function isFresh(authTime: Date, now: Date): boolean {
  return now.getTime() - authTime.getTime() < REAUTHENTICATION_LIFE;
}

/** How long level 2 lasts, in milliseconds: idle, and in any case (NIST SP 800-63B-4 sections 2.2.3 and 5.2). */
export const LEVEL_TWO_LIMITS = { idle: 60 * 60_000, absolute: 24 * 3_600_000 } as const;

/** What is kept of a session's level. */
export interface SessionLevel {
  /** The level that was reached by what was shown. */
  readonly aal: 1 | 2;
  /** Level 2 is over at the earlier of these; both are empty at level 1. */
  readonly levelIdleEndsAt: Date | null;
  readonly levelEndsAt: Date | null;
}

/**
 * Begins a level; level 1 lasts as long as its session.
 * @example
 * ```ts
 * beginLevel(1, new Date("2026-07-01T06:00:00Z")) // → { aal: 1, levelIdleEndsAt: null, levelEndsAt: null }
 * ```
 */
export function beginLevel(aal: 1 | 2, now: Date): SessionLevel {
  if (aal === 1) return { aal, levelIdleEndsAt: null, levelEndsAt: null };
  const { idle, absolute } = LEVEL_TWO_LIMITS;
  return {
    aal,
    levelIdleEndsAt: new Date(now.getTime() + idle),
    levelEndsAt: new Date(now.getTime() + absolute),
  };
}

/** The level that counts now: a session that lives longer falls back to level 1. */
export function levelOf({ aal, levelIdleEndsAt, levelEndsAt }: SessionLevel, now: Date): 1 | 2 {
  if (aal === 1 || levelIdleEndsAt === null || levelEndsAt === null) return 1;
  return now < levelIdleEndsAt && now < levelEndsAt ? 2 : 1;
}

/** The idle limit of level 2 after a use at `now`; a level that is over does not come back. */
export function levelIdleEndAfterUse(level: SessionLevel, now: Date): Date | null {
  return levelOf(level, now) === 2 ? new Date(now.getTime() + LEVEL_TWO_LIMITS.idle) : level.levelIdleEndsAt;
}

/** Begins a session's life. */
export function beginSessionTimes(now: Date, limits: SessionLimits): SessionTimes {
  return {
    createdAt: now,
    lastSeenAt: now,
    idleEndsAt: new Date(now.getTime() + Math.min(limits.idle, limits.absolute)),
    endsAt: new Date(now.getTime() + limits.absolute),
    endedAt: null,
  };
}

/** Whether the session may still be used. At a limit it is over. */
export function isSessionAlive(session: Omit<SessionTimes, "createdAt">, now: Date): boolean {
  return session.endedAt === null && now < session.idleEndsAt && now < session.endsAt;
}

/** The earlier of the two limits. */
export function sessionEnd(session: Pick<SessionTimes, "idleEndsAt" | "endsAt">): Date {
  return session.idleEndsAt < session.endsAt ? session.idleEndsAt : session.endsAt;
}

/**
 * Whether a use at `now` is worth writing down.
 * @example
 * ```ts
 * isWorthNoting({ lastSeenAt: new Date("2026-07-01T06:00:00Z") }, new Date("2026-07-01T06:00:10Z")) // → false
 * ```
 */
export function isWorthNoting(session: Pick<SessionTimes, "lastSeenAt">, now: Date): boolean {
  return now.getTime() - session.lastSeenAt.getTime() >= LAST_SEEN_GRAIN;
}

/** The idle limit after a use at `now`; never past the absolute one. */
export function idleEndAfterUse(
  session: Pick<SessionTimes, "endsAt">,
  now: Date,
  limits: SessionLimits,
): Date {
  return new Date(Math.min(now.getTime() + limits.idle, session.endsAt.getTime()));
}
