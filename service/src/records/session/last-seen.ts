/** Uses of sessions, collected and written in batches: at most once a minute for each, never on the request's time. */
import type { SessionKind, SessionLimits } from "@lucchetto/core";
import { idleEndAfterUse, isWorthNoting, levelIdleEndAfterUse } from "@lucchetto/core";
import type { FastifyBaseLogger } from "fastify";
import type { DataSource } from "typeorm";
import type { SessionRow } from "../../base/storage/index.ts";
import { isStorageUnavailable } from "../../base/storage/index.ts";
import type { SessionUse } from "./store.ts";
import { noteUses } from "./store.ts";

/** Milliseconds between two batches. */
const FLUSH_INTERVAL = 1_000;
/** Sessions in one statement. */
const BATCH_SIZE = 500;

export interface LastSeen {
  /** Notes a use at `now`; cheap, and writes nothing by itself. */
  note(
    session: Pick<
      SessionRow,
      "id" | "kind" | "lastSeenAt" | "endsAt" | "aal" | "levelIdleEndsAt" | "levelEndsAt"
    >,
    now: Date,
  ): void;
  /** Writes what was noted. */
  flush(): Promise<void>;
  /** Writes what was noted and stops. */
  close(): Promise<void>;
}

/** Starts collecting. */
export function createLastSeen(
  dataSource: DataSource,
  limits: Readonly<Record<SessionKind, SessionLimits>>,
  log: FastifyBaseLogger,
): LastSeen {
  const noted = new Map<string, Omit<SessionUse, "id">>();

  async function flush(): Promise<void> {
    const uses = [...noted].map(([id, use]) => ({ id, ...use }));
    noted.clear();
    for (let start = 0; start < uses.length; start += BATCH_SIZE) {
      await noteUses(dataSource, uses.slice(start, start + BATCH_SIZE));
    }
  }

  const flushLater = (): void => {
    if (noted.size === 0) return;
    flush().catch((error: unknown) => {
      // The next use is noted again; only the idle limit moves on a little later.
      log[isStorageUnavailable(error) ? "warn" : "error"](
        { err: error },
        "uses of sessions could not be written",
      );
    });
  };
  const timer = setInterval(flushLater, FLUSH_INTERVAL);
  timer.unref();

  return {
    note(session, now) {
      if (!isWorthNoting(session, now)) return;
      noted.set(session.id, {
        lastSeenAt: now,
        idleEndsAt: idleEndAfterUse(session, now, limits[session.kind]),
        levelIdleEndsAt: levelIdleEndAfterUse(session, now),
      });
    },
    flush,
    async close() {
      clearInterval(timer);
      await flush();
    },
  };
}
