/** One thing from before a change, without which a mailbox alone undoes nothing. */
import { PREPARING } from "./table.ts";

/** What can be shown as a thing from before; a known browser is seen by itself. */
export const THINGS_FROM_BEFORE = ["password", "passkey", "totp", "recovery-code"] as const;
export type ThingFromBefore = (typeof THINGS_FROM_BEFORE)[number];

/** What an account had when the change came. */
export interface Former {
  readonly hasPassword: boolean;
  readonly hasDevice: boolean;
  readonly hasPasskey: boolean;
  readonly hasAuthenticator: boolean;
  readonly hasRecoveryCode: boolean;
}

/** Whether undoing wants more than the link: not for an account that never had anything more. */
export function wantsThingFromBefore(former: Former): boolean {
  return former.hasDevice || thingsFromBefore(former).length > 0;
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

/** When a factor began to count, and when it was removed or replaced. */
export interface FactorLife {
  readonly since: Date;
  readonly removedAt: Date | null;
}

/** A change that is undone: of the address, or of a factor. */
export interface ChangeUndone {
  readonly of: "address" | "factor" | "erasure";
  readonly at: Date;
}

/**
 * The time since which what came is the intruder's. Whoever takes an address may have prepared it some days before; a
 * change of a factor is told by itself when it is made.
 */
export function intruderSince({ of, at }: ChangeUndone): Date {
  return of === "address" ? new Date(at.getTime() - PREPARING) : at;
}

/** Whether a factor stood before the change and is the owner's: it proves, and it stays or comes back. */
export function isFromBefore({ since, removedAt }: FactorLife, change: ChangeUndone): boolean {
  const start = intruderSince(change);
  return since < start && (removedAt === null || removedAt >= start);
}
