/**
 * Working off a table of what waits to be sent. Any instance does; each row has one sender. Rows are claimed some at a
 * time, the claims are renewed while this process lives, and what arrived is noted together, so that a full queue drains
 * at its receiver's pace and in constant memory.
 */
import { performance } from "node:perf_hooks";
import type { FastifyBaseLogger } from "fastify";
import type { EntitySchema } from "typeorm";
import type { Background } from "../capability.ts";
import type { ServiceContext } from "../context.ts";
import type { QueuedRow } from "../storage/index.ts";
import { newId } from "../storage/index.ts";
import type { Claims } from "./claims.ts";
import { CLAIM_SECONDS, claimsOf } from "./claims.ts";

/** Milliseconds between two looks while nothing is due. */
const LOOK_EVERY = 500;
/** Rows claimed at once, for each that is sent at a time: few, for they wait for their claim's end if this process dies. */
const CLAIMED_FOR_EACH = 4;
const RENEW_EVERY = (CLAIM_SECONDS * 1_000) / 3;
/** Milliseconds in which what arrived is gathered, to be noted together. */
const GATHER = 20;
/** Characters of an answer that are kept. */
const LONGEST_ANSWER = 190;

/** How a try ended, with the receiver's words or ours. `isFinal`: no other try can do better. */
export type Try =
  | { readonly arrived: true; readonly answer: string }
  | { readonly arrived: false; readonly answer: string; readonly isFinal?: boolean };

export interface Queue<Row extends QueuedRow> {
  /** What waits in it, for the log. */
  readonly what: string;
  readonly entity: EntitySchema<Row>;
  /** How many are on their way at once. */
  readonly parallel: number;
  /** What is written into a row that arrived. */
  readonly arrived: Partial<Row>;
  send(row: Row): Promise<Try>;
  /** When to try again after so many tries, or `null`: no more. */
  nextTryAfter(tries: number, now: Date): Date | null;
  /** Called when nothing is sent any more. */
  close?(): void;
}

/** Begins to work. Closing it stops looking, waits for what is on its way, and gives back what is not. */
export function workOff<Row extends QueuedRow>(
  { dataSource, clock }: Pick<ServiceContext, "dataSource" | "clock">,
  queue: Queue<Row>,
  logger: Pick<FastifyBaseLogger, "warn" | "debug">,
): Background {
  const claims = claimsOf(dataSource, queue.entity);
  const arrivals = noteTogether(claims, queue, logger);
  const limit = queue.parallel * CLAIMED_FOR_EACH;
  /** Claimed, and not begun. */
  const waiting: Row[] = [];
  const held = new HeldClaims();
  const pause = new Pause();
  let isStopping = false;

  const take = async (): Promise<number> => {
    const now = clock.now();
    const claim = newId(now);
    const from = performance.now();
    const rows = await claims.take(claim, now, limit);
    held.add(claim, rows.length, from);
    waiting.push(...rows);
    return rows.length;
  };

  let isMoreLikely = true;
  const refill = async (): Promise<void> => {
    if (!isMoreLikely) await pause.for(LOOK_EVERY);
    if (isStopping) return;
    try {
      isMoreLikely = (await take()) === limit;
    } catch (error) {
      isMoreLikely = false;
      logger.debug({ err: error, what: queue.what }, "what is due could not be looked for");
    }
  };

  const tryOne = async (row: Row): Promise<void> => {
    // Another instance may have it by now.
    if (!held.has(row.claim)) return;
    const tried = await queue.send(row).catch((error: unknown): Try => {
      logger.warn({ err: error, what: queue.what, id: row.id }, "one could not be sent for a fault of ours");
      return { arrived: false, answer: "not sent: a fault of the service; its log says which" };
    });
    const answer = tried.answer.replace(/[\p{Cc}\s]+/gu, " ").slice(0, LONGEST_ANSWER);
    if (tried.arrived) {
      arrivals.note(row.id, answer);
      return;
    }
    const nextTryAt = tried.isFinal === true ? null : queue.nextTryAfter(row.tries, clock.now());
    await claims.noteFailed(row, answer, nextTryAt).catch((error: unknown) => {
      logger.warn(
        { err: error, what: queue.what },
        "a failed try could not be noted; it is made again when its claim ends",
      );
    });
  };

  let refilling: Promise<void> | null = null;
  const worker = async (): Promise<void> => {
    while (!isStopping) {
      const row = waiting.shift();
      if (row === undefined) {
        refilling ??= refill().finally(() => {
          refilling = null;
        });
        await refilling;
      } else {
        await tryOne(row);
        held.settle(row.claim);
      }
    }
  };

  const renewing = setInterval(() => {
    const from = performance.now();
    const all = held.all();
    if (all.length === 0) return;
    claims.renew(all).then(
      () => held.extend(all, from),
      (error: unknown) =>
        logger.debug({ err: error, what: queue.what }, "what is under way could not be held"),
    );
  }, RENEW_EVERY);
  renewing.unref();
  const working = Promise.all(Array.from({ length: queue.parallel }, worker));

  return {
    async close() {
      isStopping = true;
      pause.end();
      await working;
      clearInterval(renewing);
      await arrivals.settled();
      if (waiting.length > 0) {
        await claims
          .giveBack(waiting.map(({ id }) => id))
          .catch((error: unknown) => logger.debug({ err: error, what: queue.what }, "not given back"));
      }
      queue.close?.();
    },
  };
}

/** The claims that this process holds, and until when it may be sure of them (by its own steady clock). */
class HeldClaims {
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

/** A pause that can be cut short. */
class Pause {
  #end: () => void = () => undefined;

  for(milliseconds: number): Promise<void> {
    return new Promise((resolve) => {
      const timer = setTimeout(resolve, milliseconds);
      this.#end = () => {
        clearTimeout(timer);
        resolve();
      };
    });
  }

  end(): void {
    this.#end();
  }
}

interface Arrivals {
  note(id: string, answer: string): void;
  /** Waits for what is being noted; what cannot be noted now is given one more try. */
  settled(): Promise<void>;
}

/** Notes of what arrived, joined into one UPDATE for all within a moment. */
function noteTogether<Row extends QueuedRow>(
  claims: Claims<Row>,
  { arrived, what }: Pick<Queue<Row>, "arrived" | "what">,
  logger: Pick<FastifyBaseLogger, "warn">,
): Arrivals {
  let gathered: string[] = [];
  let lastAnswer = "";
  let running: Promise<void> | null = null;
  let isClosing = false;
  const write = async (): Promise<void> => {
    while (gathered.length > 0) {
      if (!isClosing) await new Promise((resolve) => setTimeout(resolve, GATHER));
      const ids = gathered;
      gathered = [];
      try {
        await claims.noteArrived(ids, { ...arrived, lastAnswer });
      } catch (error) {
        // They arrived; unless it can be noted they would be sent again when their claim ends.
        logger.warn({ err: error, what, count: ids.length }, "what arrived could not be noted; trying again");
        gathered = [...ids, ...gathered];
        if (isClosing) break;
        await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY));
      }
    }
    running = null;
  };
  return {
    note(id, answer) {
      gathered.push(id);
      lastAnswer = answer;
      running ??= write();
    },
    settled: async () => {
      isClosing = true;
      await running;
    },
  };
}
