/** How long a session lives: an idle limit that use moves on, and an absolute one that nothing moves. */

export const SESSION_KINDS = ["ordinary", "remembered"] as const;
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

/** Whether a proof was shown lately enough for a sensitive change. @param authTime when it was shown. */
export function isFresh(authTime: Date, now: Date): boolean {
  return now.getTime() - authTime.getTime() < REAUTHENTICATION_LIFE;
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

/** Whether a use at `now` is worth writing down. */
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
