/** What a session lacks of the level and freshness that somebody asks for (RFC 9470 section 4). */
import { levelOf } from "@lucchetto/core";
import type { SessionFacts } from "../../base/storage/index.ts";

/** Levels that can be asked for by `acr_values`. */
export const LEVELS = ["aal1", "aal2"] as const;

/** Seconds that coming back from our own page may take; a smaller `max_age` would ask for ever. */
const MIN_MAX_AGE_SECONDS = 30;

export type Step = "level" | "freshness";

export interface StepWish {
  /** Any one of them is enough; none: no level is asked for. Unknown ones cannot be met. */
  readonly levels: readonly string[];
  /** Seconds since the last proof; `undefined`: of no matter. */
  readonly maxAge: number | undefined;
}

/** @returns what is lacking; `null`: nothing is. */
export function stepWanted(
  { levels, maxAge }: StepWish,
  session: Parameters<typeof levelOf>[0] & Pick<SessionFacts, "authTime">,
  now: Date,
): Step | null {
  const met = LEVELS.slice(0, levelOf(session, now));
  if (levels.length > 0 && !levels.some((level) => met.some((one) => one === level))) return "level";
  if (maxAge === undefined) return null;
  const age = (now.getTime() - session.authTime.getTime()) / 1_000;
  return age > Math.max(maxAge, MIN_MAX_AGE_SECONDS) ? "freshness" : null;
}

/** A `max_age` as it stands in a query. @returns seconds; `null`: it is no number of them. */
export function readMaxAge(text: string | undefined): number | undefined | null {
  if (text === undefined) return undefined;
  return /^[0-9]{1,9}$/.test(text) ? Number(text) : null;
}
