/** Dates of last use: written now and then, and on nobody's time. */
import type { DataSource } from "typeorm";
import { isStorageUnavailable } from "./in-transaction.ts";

/** Last use is written once in this many milliseconds. */
const GRAIN = 60_000;

/** Something that is used, and when it was noted last. */
export interface Used {
  readonly id: string;
  readonly lastUsedAt: Date | null;
}

/**
 * @param write stores the date of one.
 * @returns notes a use at `now`, if that is worth it; nothing waits for it.
 */
export function noteUsesBy(
  write: (dataSource: DataSource, id: string, now: Date) => Promise<void>,
): (dataSource: DataSource, used: Used, now: Date) => void {
  // Many requests meet the same due date at once; one of them notes it.
  const beingNoted = new Set<string>();
  return (dataSource, { id, lastUsedAt }, now) => {
    if (lastUsedAt !== null && now.getTime() - lastUsedAt.getTime() < GRAIN) return;
    if (beingNoted.has(id)) return;
    beingNoted.add(id);
    write(dataSource, id, now)
      .catch((error: unknown) => {
        if (!isStorageUnavailable(error)) throw error;
      })
      .finally(() => beingNoted.delete(id));
  };
}
