/** Answers of a moment ago, for options that are off unless an application chooses their price. */
import type { ActiveIntrospection } from "@lucchetto/contract/apps";

const MAX_KEPT = 10_000;

export interface RecentAnswers {
  /** The answer for a token, if it is at most so many milliseconds old. */
  read(token: string, atMost: number): ActiveIntrospection | null;
  keep(token: string, who: ActiveIntrospection): void;
  forget(token: string): void;
}

export function recentAnswers(clock: () => number = () => performance.now()): RecentAnswers {
  const kept = new Map<string, { who: ActiveIntrospection; at: number }>();
  return {
    read(token, atMost) {
      const found = kept.get(token);
      if (found === undefined || clock() - found.at > atMost) return null;
      return found.who;
    },
    keep(token, who) {
      // Put at the end again, so that the first is always the oldest.
      kept.delete(token);
      kept.set(token, { who, at: clock() });
      const [oldest] = kept.keys();
      if (kept.size > MAX_KEPT && oldest !== undefined) kept.delete(oldest);
    },
    forget: (token) => void kept.delete(token),
  };
}
