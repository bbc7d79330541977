/** Days by the service's clock, in UTC, and what is counted of each. */
import type { Clock } from "./clock.ts";

/** Milliseconds after which a day's counts are taken again. */
const RECOUNT_AFTER = 3_600_000;

/** Takes counts when a day is first seen, and again every hour while it lasts. */
export interface DailyCount {
  /** Counts if that is due; otherwise it costs a comparison. */
  keep(): Promise<void>;
}

export function countDaily(clock: Clock, count: (now: Date) => Promise<void>): DailyCount {
  let counted: Date | null = null;
  return {
    async keep() {
      const now = clock.now();
      if (counted !== null && dayOf(counted) === dayOf(now)) {
        if (Math.abs(now.getTime() - counted.getTime()) < RECOUNT_AFTER) return;
      }
      counted = now;
      await count(now);
    },
  };
}

/** Poll interval in milliseconds. */
const LOOK_EVERY = 60_000;

/** Keeps counts beside the requests. @param failed is told of one that could not be taken. */
export function keepDaily(counts: DailyCount, failed: (error: unknown) => void): { close(): Promise<void> } {
  const timer = setInterval(() => void counts.keep().catch(failed), LOOK_EVERY);
  timer.unref();
  return {
    async close() {
      clearInterval(timer);
    },
  };
}

/** The day in UTC, `2026-05-01`. */
export function dayOf(time: Date): string {
  return time.toISOString().slice(0, 10);
}
