/** One thing from before a change, without which a mailbox alone undoes nothing. */
import type { ThingFromBefore } from "../sign-in/proofs.ts";
import { THINGS_FROM_BEFORE } from "../sign-in/proofs.ts";
import { PREPARING } from "./table.ts";

/** What an account had when the change came, and still counts. */
export interface Former {
  readonly hasPassword: boolean;
  readonly hasPasskey: boolean;
  readonly hasAuthenticator: boolean;
  readonly hasRecoveryCode: boolean;
}

/** What may be shown. */
export function thingsFromBefore(former: Former): ThingFromBefore[] {
  const has: Record<ThingFromBefore, boolean> = {
    password: former.hasPassword,
    passkey: former.hasPasskey,
    totp: former.hasAuthenticator,
    "recovery-code": former.hasRecoveryCode,
  };
  return THINGS_FROM_BEFORE.filter((thing) => has[thing]);
}

/** A change that is undone. */
export interface ChangeUndone {
  /** `identifier`: address or username. */
  readonly of: "identifier" | "factor" | "erasure";
  readonly at: Date;
}

/**
 * The time since which factors that came are the intruder's. Whoever takes an address may have prepared it some days before; a change of a
 * factor is told by itself when it is made.
 */
export function intruderSince({ of, at }: ChangeUndone): Date {
  return of === "identifier" ? new Date(at.getTime() - PREPARING) : at;
}

/** When a factor began to count, and when it was removed or replaced. */
export interface FactorLife {
  readonly since: Date;
  readonly removedAt: Date | null;
}

/**
 * What an undoing makes of a factor. What came between `start` and `end` goes for good: no other link brings it back. What stood before and
 * was removed meanwhile comes back. What came or went before or after stays as it is.
 * @param end the account's first undo after the change, by which its owner was back; or now.
 */
export function undoOfFactor(
  { since, removedAt }: FactorLife,
  { start, end }: { start: Date; end: Date },
): "goes" | "comes-back" | "as-it-is" {
  if (since >= start && since < end) return "goes";
  const wasRemoved = removedAt !== null && removedAt >= start && removedAt < end;
  return since < start && wasRemoved ? "comes-back" : "as-it-is";
}

/** How far back goes what somebody showed. */
export interface Grounds {
  /** Since when the oldest of it counts, as far as it can be followed; `null`: nothing but a mailbox was shown. */
  readonly provedSince: Date | null;
  /** Since when a browser or a factor among it stands itself; `null`: there was none. */
  readonly standsSince: Date | null;
}

/** Nothing was shown, or the mailbox alone. */
export const NO_GROUNDS: Grounds = { provedSince: null, standsSince: null };

/** Everything that was shown, taken together. */
export function joinGrounds(...shown: readonly Grounds[]): Grounds {
  return {
    provedSince: earliest(shown.map(({ provedSince }) => provedSince)),
    standsSince: earliest(shown.map(({ standsSince }) => standsSince)),
  };
}

function earliest(times: ReadonlyArray<Date | null>): Date | null {
  return times.reduce(
    (first, time) => (first === null || (time !== null && time < first) ? time : first),
    null,
  );
}

/** From when something counts that was made by showing this. */
export function provedSinceOf(madeAt: Date, { provedSince }: Pick<Grounds, "provedSince">): Date {
  return earliest([madeAt, provedSince]) ?? madeAt;
}

/**
 * The moment at which a thing had to stand: some days before the change, since an intruder may have prepared it; of a younger account, when
 * its address was first proved.
 */
export function windowStart({ at }: Pick<ChangeUndone, "at">, firstProvedAt: Date | null): Date {
  const start = new Date(at.getTime() - PREPARING);
  if (firstProvedAt === null || firstProvedAt <= start) return start;
  return firstProvedAt < at ? firstProvedAt : at;
}

/** Something that may be shown. */
export interface Thing {
  /** As of `Grounds`. */
  readonly provedSince: Date | null;
  /** When it was removed, replaced or forgotten. */
  readonly endedAt: Date | null;
}

/** Whether it stood at a time and did not end there, or was made since by showing something that did. */
export function countsFrom({ provedSince, endedAt }: Thing, start: Date): boolean {
  return provedSince !== null && provedSince <= start && (endedAt === null || endedAt > start);
}

/** A password that was set, and with what. */
export interface PasswordSet {
  readonly setAt: Date;
  readonly standsSince: Date | null;
  /** Hash of the mark of the browser in which it was set. */
  readonly setInBrowser: Buffer | null;
}

/**
 * The owner's own last change of the password: one that was made in a browser, or with a factor, that stood at the beginning itself. It ends
 * all passwords before it, and all other browsers, as things from before.
 */
export function ownLastChange<Set extends PasswordSet>(sets: readonly Set[], start: Date): Set | null {
  const own = sets.filter(
    ({ setAt, standsSince }) => setAt > start && standsSince !== null && standsSince <= start,
  );
  return own.reduce<Set | null>((last, set) => (last === null || set.setAt >= last.setAt ? set : last), null);
}

/**
 * Whether a change of the password ends all other browsers for whatever is changed later: it was made in a browser, or with a factor,
 * that stood some days before it.
 */
export function endsOthersForGood(
  { setAt, standsSince }: Pick<PasswordSet, "setAt" | "standsSince">,
  firstProvedAt: Date | null,
): boolean {
  return standsSince !== null && standsSince <= windowStart({ at: setAt }, firstProvedAt);
}

/** Former passwords of which one try tells whether it is one of them. */
export const MOST_FORMER_PASSWORDS = 10;
