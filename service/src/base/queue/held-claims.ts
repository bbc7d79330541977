/** What this process has claimed. */
import { performance } from "node:perf_hooks";
import { CLAIM_SECONDS } from "./claims.ts";

/** Milliseconds. */
const RENEW_EVERY = (CLAIM_SECONDS * 1_000) / 3;

/** The claims that this process holds, and until when it may be sure of them (by its own steady clock). */
export class HeldClaims {
  readonly #claims = new Map<string, { left: number; until: number }>();

  add(claim: string, rows: number, from: number): void {
    if (rows > 0) this.#claims.set(claim, { left: rows, until: from + CLAIM_SECONDS * 1_000 });
  }

  has(claim: string | null): boolean {
    const held = claim === null ? undefined : this.#claims.get(claim);
    return held !== undefined && performance.now() < held.until;
  }

  extend(claims: readonly string[], from: number): void {
    for (const claim of claims) {
      const held = this.#claims.get(claim);
      if (held !== undefined) held.until = from + CLAIM_SECONDS * 1_000;
    }
  }

  /** One row of a claim is done with. */
  settle(claim: string | null): void {
    const held = claim === null ? undefined : this.#claims.get(claim);
    if (held === undefined || claim === null) return;
    held.left -= 1;
    if (held.left === 0) this.#claims.delete(claim);
  }

  all(): string[] {
    return [...this.#claims.keys()];
  }
}

/** Renews what is held from time to time. @param failed is told why it could not be. @returns what ends it. */
export function keepRenewing(
  held: HeldClaims,
  renew: (claims: readonly string[]) => Promise<void>,
  failed: (error: unknown) => void,
): () => void {
  const timer = setInterval(() => {
    const from = performance.now();
    const all = held.all();
    if (all.length > 0) renew(all).then(() => held.extend(all, from), failed);
  }, RENEW_EVERY);
  timer.unref();
  return () => clearInterval(timer);
}
