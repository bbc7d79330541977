/** The one source of time. Nothing else in the service reads the machine's clock. */
import type { DataSource } from "typeorm";
import { MovedClockEntity } from "../storage/index.ts";

export interface Clock {
  now(): Date;
}

/** The machine's clock as it is. */
export const systemClock: Clock = { now: () => new Date() };

/** A clock that can be moved, for development: the offset is stored, so that every instance agrees. */
export interface MovableClock extends Clock {
  /** Milliseconds ahead of the machine's clock. */
  readonly movedBy: number;
  /** Reads the stored offset; called before each request is handled. */
  refresh(): Promise<void>;
  /** Moves the clock on by so many milliseconds (back if negative). */
  advance(milliseconds: number): Promise<void>;
  reset(): Promise<void>;
}

/** Makes a movable clock over the table `moved_clock`. @param machine what is moved: the machine's clock, or a test's. */
export function createMovableClock(dataSource: DataSource, machine: Clock = systemClock): MovableClock {
  const repository = dataSource.getRepository(MovedClockEntity);
  let movedBy = 0;

  const clock: MovableClock = {
    now: () => new Date(machine.now().getTime() + movedBy),
    get movedBy() {
      return movedBy;
    },
    async refresh() {
      movedBy = await readMovedClock(dataSource);
    },
    async advance(milliseconds) {
      await dataSource.query(
        "INSERT INTO moved_clock (id, milliseconds) VALUES (1, ?) ON DUPLICATE KEY UPDATE milliseconds = milliseconds + VALUES(milliseconds)",
        [milliseconds],
      );
      await clock.refresh();
    },
    async reset() {
      await repository.delete({ id: 1 });
      await clock.refresh();
    },
  };
  return clock;
}

/** Milliseconds by which the stored clock is ahead; 0 if it was never moved. */
export async function readMovedClock(dataSource: DataSource): Promise<number> {
  // Before each request in development: without what the mapper adds.
  const [row] = await dataSource.query<Array<{ milliseconds: string }>>(
    "SELECT milliseconds FROM moved_clock WHERE id = 1",
  );
  return Number(row?.milliseconds ?? 0);
}
