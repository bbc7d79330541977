/** Dates of last use: written now and then, and on nobody's time. */
import type { DataSource } from "typeorm";
import { isStorageUnavailable } from "./in-transaction.ts";

/** Last use is written once in this many milliseconds. */
const GRAIN = 60_000;
/** Uses that are remembered; past it one or the other is written once more. */
const MAX_NOTED = 10_000;

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
  // Many requests meet the same due date at once, and some know of it by a row read long ago; one of them notes it.
  const noted = new Map<string, number>();
  return (dataSource, { id, lastUsedAt }, now) => {
    const isRecent = (then: number): boolean => now.getTime() - then < GRAIN;
    if (isRecent(noted.get(id) ?? -Infinity) || (lastUsedAt !== null && isRecent(lastUsedAt.getTime())))
      return;
    if (noted.size >= MAX_NOTED) noted.clear();
    noted.set(id, now.getTime());
    write(dataSource, id, now).catch((error: unknown) => {
      noted.delete(id);
      // Nobody waits for it, so nobody could take it: the process must not end by it.
      if (!isStorageUnavailable(error)) process.emitWarning(error instanceof Error ? error : String(error));
    });
  };
}
