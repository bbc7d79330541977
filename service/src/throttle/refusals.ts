/**
 * What was refused for too many tries, in the journal: counted, one entry a window for each account or network, so that "why could this
 * person not sign in?" has an answer later, and noise fills no disk.
 */
import type { FastifyBaseLogger } from "fastify";
import type { DataSource } from "typeorm";
import type { Clock } from "../clock/clock.ts";
import type { Configuration } from "../config/index.ts";
import type { RefusalJournal, Visit } from "../context.ts";
import { record } from "../journal/journal.ts";
import type { RefusedTry } from "../problem.ts";
import { inTransaction, isStorageUnavailable } from "../storage/index.ts";

/** Milliseconds of a window; as long as the longest usual wait. */
const WINDOW = 15 * 60_000;
/** Between two looks whether a window is over. */
const LOOK_EVERY = 60_000;
/** Accounts and networks that are counted at once; beyond that they are counted as one. */
const MAX_COUNTED = 5_000;

interface Counted extends RefusedTry {
  readonly since: number;
  readonly visit: Visit;
  more: number;
}

/** Starts counting. */
export function journalRefusals(
  parts: {
    readonly dataSource: DataSource;
    readonly configuration: Configuration;
    readonly clock: Clock;
  },
  log: FastifyBaseLogger,
): RefusalJournal {
  const { dataSource, clock } = parts;
  const counted = new Map<string, Counted>();

  const write = ({ kind, accountId, visit }: Omit<Counted, "since" | "more">, reason: string) =>
    inTransaction(dataSource, (manager) =>
      record(parts, manager, {
        event: { kind: "throttle.refused", outcome: "refused", reason: `${kind}${reason}`, accountId },
        visit,
        now: clock.now(),
      }),
    );

  async function flush(before = clock.now().getTime() - WINDOW): Promise<void> {
    for (const [key, one] of counted) {
      if (one.since > before && one.since <= clock.now().getTime()) continue;
      counted.delete(key);
      if (one.more > 0) await write(one, `, ${one.more} more in 15 minutes`);
    }
  }

  const quietly = (work: Promise<unknown>): Promise<unknown> =>
    work.catch((error: unknown) => {
      // The answer was given all the same; only the entry is missing.
      log[isStorageUnavailable(error) ? "warn" : "error"]({ err: error }, "refused tries could not be noted");
    });
  const timer = setInterval(() => void quietly(flush()), LOOK_EVERY);
  timer.unref();

  return {
    async note({ kind, accountId }, visit) {
      const key = keyOf({ kind, accountId }, visit);
      const now = clock.now().getTime();
      const stands = counted.get(key);
      if (stands !== undefined && now - stands.since < WINDOW && now >= stands.since) {
        stands.more += 1;
        return;
      }
      const before = stands === undefined || stands.more === 0 ? "" : `, ${stands.more} more before`;
      const begun = { kind, accountId, visit, since: now, more: 0 };
      counted.set(key, begun);
      await quietly(write(begun, before));
    },
    flush: () => flush(),
    async close() {
      clearInterval(timer);
      await quietly(flush(Infinity));
    },
  };

  /** Whoever tries from everywhere is counted as one. */
  function keyOf({ kind, accountId }: RefusedTry, { network }: Visit): string {
    const key = `${kind} ${accountId ?? network}`;
    return counted.size < MAX_COUNTED || counted.has(key) ? key : "others";
  }
}
