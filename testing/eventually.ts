/** Waiting for what comes about by itself: a state is awaited, never a span. */
import { existsSync, readFileSync } from "node:fs";
import { setTimeout as pause } from "node:timers/promises";

/** Far longer than a slow and busy machine needs: who runs into it has met a fault. */
const LIMIT = Number(process.env["WAIT_LIMIT"] ?? 300_000);
const BETWEEN = 25;

/**
 * Looks again and again until what is found is there.
 * @param look gives what is waited for; `undefined`, `null` and `false`: not yet.
 */
export async function eventually<Found>(
  look: () => Found | Promise<Found>,
  what = "what was waited for",
): Promise<Exclude<Found, undefined | null | false>> {
  const end = performance.now() + LIMIT;
  for (;;) {
    const found = await look();
    if (found !== undefined && found !== null && found !== false)
      return found as Exclude<Found, undefined | null | false>;
    if (performance.now() > end) throw new Error(`${what} did not come about in ${LIMIT / 1_000} s`);
    await pause(BETWEEN);
  }
}

/** Lets some time pass in which something would come that must not come. On a slow machine this shows less, but never fails. */
export const aWhile = (milliseconds = 800): Promise<void> => pause(milliseconds);

/** What another process has written into a file; `undefined` while it is not there. */
export const textIn = (file: string): string | undefined =>
  existsSync(file) ? readFileSync(file, "utf8").trim() : undefined;
