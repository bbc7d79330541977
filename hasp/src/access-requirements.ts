/** What a closed route asks for beyond an account. */
import type { SignedInAccount } from "./account.ts";

/** One label, or several of which any one is enough or all are wanted. */
export type LabelWish =
  | string
  | { readonly any: readonly [string, ...string[]] }
  | { readonly all: readonly [string, ...string[]] };

/** What an open route says of itself. */
export interface OpenOptions {
  /** Whether Lucchetto is asked who is there; true unless said otherwise. `false` for files and webhooks: nobody is known there, and nothing waits. */
  readonly asks?: boolean;
}

/** What a closed route asks of a session, besides that there is one. */
export interface AccessRequirements {
  /** A label that the account must carry, or several: any one of them, or all. */
  readonly label?: LabelWish;
  /** Level 2: a second factor was shown. Whoever is at level 1 is asked for it (RFC 9470). */
  readonly level?: 1 | 2;
  /** Seconds since the last proof, 60 at least. Whoever showed one longer ago is asked once more (RFC 9470). */
  readonly freshWithin?: number;
  /** Whether scripts with an access key may come in; true unless said otherwise. */
  readonly accessKeys?: boolean;
}

/** Under a minute nobody would get through: showing a proof and coming back takes its time. */
const MIN_FRESH_SECONDS = 60;

/** @throws RangeError for a freshness that nobody could meet, or labels that say nothing. */
export function assertWanted({ freshWithin, label }: AccessRequirements): void {
  if (label !== undefined && !isWish(label))
    throw new RangeError(
      `label: found ${JSON.stringify(label)}, expected a label, { any: [labels] } or { all: [labels] }`,
    );
  if (freshWithin === undefined || freshWithin >= MIN_FRESH_SECONDS) return;
  throw new RangeError(`freshWithin: found ${freshWithin}, expected at least ${MIN_FRESH_SECONDS} seconds`);
}

/** From plain JavaScript anything may come; a list that nobody could fail would open the route. */
function isWish(label: unknown): boolean {
  if (typeof label === "string") return label !== "";
  if (typeof label !== "object" || label === null) return false;
  const lists: unknown[] = Object.values(label);
  const [list] = lists;
  const isNamed = "any" in label || "all" in label;
  return lists.length === 1 && isNamed && Array.isArray(list) && list.length > 0 && list.every(isWishedLabel);
}

function isWishedLabel(label: unknown): boolean {
  return typeof label === "string" && label !== "";
}

function carries(labels: readonly string[], wish: LabelWish): boolean {
  if (typeof wish === "string") return labels.includes(wish);
  return "any" in wish
    ? wish.any.some((one) => labels.includes(one))
    : wish.all.every((one) => labels.includes(one));
}

/** As people read it: “keeper”, “keeper or cook”, “keeper and cook”. */
export function nameOfWish(wish: LabelWish, { or, and }: { or: string; and: string }): string {
  if (typeof wish === "string") return wish;
  return "any" in wish ? wish.any.join(or) : wish.all.join(and);
}

export type UnmetRequirement = "label" | "session" | "level" | "freshness";

/** The first thing that is lacking; `null` if nothing is. */
export function firstUnmet(account: SignedInAccount, wanted: AccessRequirements): UnmetRequirement | null {
  const { label, level = 1, freshWithin, accessKeys = true } = wanted;
  const { session } = account;
  if (session === null && (!accessKeys || level === 2 || freshWithin !== undefined)) return "session";
  if (label !== undefined && !carries(account.labels, label)) return "label";
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
