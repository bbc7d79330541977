import type { Clock } from "../clock/clock.ts";

/** Refusals that are journalled in a minute by one instance; whoever tries keys by the thousand fills no disk. */
const MAX_PER_MINUTE = 120;
const WINDOW = 60_000;

/** Counts them. @returns whether the next one is journalled. */
export function limitRefusals(clock: Clock): () => boolean {
  let since = 0;
  let count = 0;
  return () => {
    const now = clock.now().getTime();
    if (Math.abs(now - since) >= WINDOW) [since, count] = [now, 0];
    count += 1;
    return count <= MAX_PER_MINUTE;
  };
}
