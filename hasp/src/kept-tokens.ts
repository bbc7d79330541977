/** Where an application's server keeps the tokens of visitors who signed in with a form of its own. The browser gets a handle alone. */

/** A store of short texts that an application may bring: a table, or what several instances share. */
export interface KeptTokens {
  /** @returns `null`: nothing is kept, or not any more. */
  read(key: string): Promise<string | null> | string | null;
  /** @param seconds after which it may be forgotten. */
  write(key: string, value: string, seconds: number): Promise<void> | void;
  remove(key: string): Promise<void> | void;
}

/** Visitors remembered at once; beyond that the one that was there longest is forgotten. */
const MAX_KEPT = 100_000;

/** In this process's memory: after a restart people are still known at closed pages, and sign in again before they change something. */
export function tokensInMemory(now: () => number = Date.now): KeptTokens {
  const kept = new Map<string, { value: string; until: number }>();
  return {
    read(key) {
      const found = kept.get(key);
      if (found === undefined) return null;
      if (found.until > now()) return found.value;
      kept.delete(key);
      return null;
    },
    write(key, value, seconds) {
      kept.delete(key);
      if (kept.size >= MAX_KEPT) {
        const [oldest] = kept.keys();
        if (oldest !== undefined) kept.delete(oldest);
      }
      kept.set(key, { value, until: now() + seconds * 1_000 });
    },
    remove: (key) => void kept.delete(key),
  };
}
