/** What a closed route asks for beyond an account. */
import type { SignedInAccount } from "./account.ts";

/** What a closed route asks of a session, besides that there is one. */
export interface AccessRequirements {
  /** A label that the account must carry. */
  readonly label?: string;
  /** Level 2: a second factor was shown. Whoever is at level 1 is asked for it (RFC 9470). */
  readonly level?: 1 | 2;
  /** Seconds since the last proof, 60 at least. Whoever showed one longer ago is asked once more (RFC 9470). */
  readonly freshWithin?: number;
  /** Whether scripts with an access key may come in; true unless said otherwise. */
  readonly accessKeys?: boolean;
}

/** Under a minute nobody would get through: showing a proof and coming back takes its time. */
const MIN_FRESH_SECONDS = 60;

/** @throws RangeError for a freshness that nobody could meet. */
export function assertWanted({ freshWithin }: AccessRequirements): void {
  if (freshWithin === undefined || freshWithin >= MIN_FRESH_SECONDS) return;
  throw new RangeError(`freshWithin: found ${freshWithin}, expected at least ${MIN_FRESH_SECONDS} seconds`);
}

export type UnmetRequirement = "label" | "session" | "level" | "freshness";

/** The first thing that is lacking; `null` if nothing is. */
export function firstUnmet(account: SignedInAccount, wanted: AccessRequirements): UnmetRequirement | null {
  const { label, level = 1, freshWithin, accessKeys = true } = wanted;
  const { session } = account;
  if (session === null && (!accessKeys || level === 2 || freshWithin !== undefined)) return "session";
  if (label !== undefined && !account.labels.includes(label)) return "label";
  if (session === null) return null;
  if (session.aal < level) return "level";
  return freshWithin !== undefined && session.secondsSinceProof > freshWithin ? "freshness" : null;
}

/** The same as parameters of an authorization request (RFC 9470 section 4), and of its challenge. */
export function stepUpParameters({ level, freshWithin }: AccessRequirements): Record<string, string> {
  return {
    ...(level === 2 ? { acr_values: "aal2" } : {}),
    ...(freshWithin === undefined ? {} : { max_age: String(Math.floor(freshWithin)) }),
  };
}
