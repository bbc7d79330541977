/** What apps ask, counted by day and kind: shown to operators, written in batches, never on a request's time. */
import type { FastifyBaseLogger } from "fastify";
import type { DataSource } from "typeorm";
import type { Clock } from "../../base/clock/clock.ts";
import { isStorageUnavailable } from "../../base/storage/index.ts";
import { addQuestions } from "./store.ts";

/** The kinds of question, as the console names them. */
type QuestionKind =
  | "introspect"
  | "swap"
  | "revoke"
  | "look-up"
  | "living"
  | "basic"
  | "own-forms"
  | "accounts";

/** Milliseconds between two batches. */
const FLUSH_INTERVAL = 2_000;

export interface AppUsage {
  /** Counts one; cheap, and writes nothing by itself. */
  note(appId: string, kind: QuestionKind): void;
  /** Writes what was counted. */
  flush(): Promise<void>;
  /** Writes what was counted and stops. */
  close(): Promise<void>;
}

/** Starts counting. */
export function countAppUsage(dataSource: DataSource, clock: Clock, log: FastifyBaseLogger): AppUsage {
  const counted = new Map<string, Map<QuestionKind, number>>();

  async function flush(): Promise<void> {
    const rows = [...counted].flatMap(([appId, kinds]) =>
      [...kinds].map(([kind, count]) => ({ appId, kind, count })),
    );
    counted.clear();
    if (rows.length > 0) await addQuestions(dataSource, rows, clock.now());
  }

  const timer = setInterval(() => {
    flush().catch((error: unknown) => {
      // Some questions are missing in the count; nothing else depends on them.
      log[isStorageUnavailable(error) ? "warn" : "error"]({ err: error }, "questions could not be counted");
    });
  }, FLUSH_INTERVAL);
  timer.unref();

  return {
    note(appId, kind) {
      let kinds = counted.get(appId);
      if (kinds === undefined) counted.set(appId, (kinds = new Map()));
      kinds.set(kind, (kinds.get(kind) ?? 0) + 1);
    },
    flush,
    async close() {
      clearInterval(timer);
      await flush().catch((error: unknown) => log.warn({ err: error }, "questions could not be counted"));
    },
  };
}
