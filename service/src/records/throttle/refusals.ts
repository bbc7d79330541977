/**
 * What was refused without being looked at, or by the thousand: in the journal counted, one entry a window for each account or network, so
 * that "why could this person not sign in?" has an answer later, noise fills no disk, and nobody's noise hides what was refused elsewhere.
 */
import type { FastifyBaseLogger } from "fastify";
import type { DataSource } from "typeorm";
import type { Clock } from "../../base/clock/clock.ts";
import type { Configuration } from "../../base/config/index.ts";
import { inTransaction, isStorageUnavailable } from "../../base/storage/index.ts";
import type { RefusalJournal, RefusedEvent, RequestOrigin } from "../context.ts";
import { record } from "../journal/journal.ts";

/** Milliseconds of a window; as long as the longest usual wait. */
const WINDOW = 15 * 60_000;
/** Between two looks whether a window is over. */
const LOOK_EVERY = 60_000;
/** Accounts and networks that are counted at once; beyond that they are counted as one. */
const MAX_COUNTED = 5_000;

interface Counted extends RefusedEvent {
  readonly since: number;
  readonly visit: RequestOrigin;
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

  const write = ({ reason, visit, ...event }: Omit<Counted, "since" | "more">, more: string) =>
    inTransaction(dataSource, (manager) =>
      record(parts, manager, {
        event: { ...event, outcome: "refused", reason: `${reason}${more}` },
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
    async note(refused, visit) {
      const key = keyOf(refused, visit);
      const now = clock.now().getTime();
      const stands = counted.get(key);
      if (stands !== undefined && now - stands.since < WINDOW && now >= stands.since) {
        stands.more += 1;
        return;
      }
      const before = stands === undefined || stands.more === 0 ? "" : `, ${stands.more} more before`;
      const begun = { ...refused, visit, since: now, more: 0 };
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
  function keyOf({ kind, reason, accountId }: RefusedEvent, { network }: RequestOrigin): string {
    const key = `${kind} ${reason} ${accountId ?? network}`;
    return counted.size < MAX_COUNTED || counted.has(key) ? key : "others";
  }
}
