/**
 * Working off a table of what waits to be sent. Any instance does; each row has one sender. Rows are claimed some at a
 * time, the claims are renewed while this process lives, and what arrived is noted together, so that a full queue drains
 * at its receiver's pace and in constant memory.
 */
import { performance } from "node:perf_hooks";
import type { FastifyBaseLogger } from "fastify";
import type { DataSource, EntitySchema } from "typeorm";
import type { Background } from "../background-work.ts";
import type { Clock } from "../clock/clock.ts";
import type { QueuedRow } from "../storage/index.ts";
import { newId } from "../storage/index.ts";
import type { Arrivals } from "./arrivals.ts";
import { noteTogether } from "./arrivals.ts";
import type { Claims } from "./claims.ts";
import { claimsOf } from "./claims.ts";
import { HeldClaims, keepRenewing } from "./held-claims.ts";
import { onQueued } from "./wake.ts";

/** Milliseconds between two looks while nothing is due. */
const LOOK_EVERY = 500;
/** Rows claimed at once, for each that is sent at a time: few, for they wait for their claim's end if this process dies. */
const CLAIMED_FOR_EACH = 4;
/** Characters of an answer that are kept. */
const MAX_ANSWER_LENGTH = 190;

/** How a try ended, with the receiver's words or ours. `isFinal`: no other try can do better. */
export type SendResult =
  | { readonly arrived: true; readonly answer: string }
  | { readonly arrived: false; readonly answer: string; readonly isFinal?: boolean };

interface Queue<Row extends QueuedRow> {
  /** What waits in it, for the log. */
  readonly what: string;
  readonly entity: EntitySchema<Row>;
  /** How many are on their way at once. */
  readonly parallel: number;
  /** What is written into a row that arrived. */
  readonly arrived: Partial<Row>;
  send(row: Row): Promise<SendResult>;
  /** When to try again after so many tries, or `null`: no more. */
  nextTryAfter(tries: number, now: Date): Date | null;
  /** Called when nothing is sent any more. */
  close?(): void;
}

/** Begins to work. Closing it stops looking, waits for what is on its way, and gives back what is not. */
export function drainQueue<Row extends QueuedRow>(
  { dataSource, clock }: { readonly dataSource: DataSource; readonly clock: Clock },
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
  /** Something was put in since the last look. */
  let isWoken = false;
  const refill = async (): Promise<void> => {
    if (!isMoreLikely && !isWoken) await pause.for(LOOK_EVERY);
    if (isStopping) return;
    try {
      isWoken = false;
      isMoreLikely = (await take()) === limit;
    } catch (error) {
      isMoreLikely = false;
      logger.debug({ err: error, what: queue.what }, "what is due could not be looked for");
    }
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
        // Another instance may have it by now.
        if (held.has(row.claim)) await tryOne(row, { queue, claims, arrivals, clock, logger });
        held.settle(row.claim);
      }
    }
  };

  const endRenewing = keepRenewing(held, claims.renew, (error) =>
    logger.debug({ err: error, what: queue.what }, "what is under way could not be held"),
  );
  const endHearing = onQueued(dataSource, queue.entity, () => {
    isWoken = true;
    pause.end();
  });
  const working = Promise.all(Array.from({ length: queue.parallel }, worker));

  return {
    async close() {
      isStopping = true;
      endHearing();
      pause.end();
      await working;
      endRenewing();
      await arrivals.settled();
      if (waiting.length > 0) {
        await claims
          .giveBack(waiting)
          .catch((error: unknown) => logger.debug({ err: error, what: queue.what }, "not given back"));
      }
      queue.close?.();
    },
  };
}

interface Trying<Row extends QueuedRow> {
  readonly queue: Queue<Row>;
  readonly claims: Claims<Row>;
  readonly arrivals: Arrivals;
  readonly clock: Clock;
  readonly logger: Pick<FastifyBaseLogger, "warn">;
}

/** Sends one, and notes how that ended. */
async function tryOne<Row extends QueuedRow>(
  row: Row,
  { queue, claims, arrivals, clock, logger }: Trying<Row>,
): Promise<void> {
  const { what } = queue;
  const tried = await queue.send(row).catch((error: unknown): SendResult => {
    logger.warn({ err: error, what, id: row.id }, "one could not be sent for a fault of ours");
    return { arrived: false, answer: "not sent: a fault of the service; its log says which" };
  });
  const answer = tried.answer.replace(/[\p{Cc}\s]+/gu, " ").slice(0, MAX_ANSWER_LENGTH);
  if (tried.arrived) return arrivals.note(row.id, answer);
  const nextTryAt = tried.isFinal === true ? null : queue.nextTryAfter(row.tries, clock.now());
  await claims.noteFailed(row, answer, nextTryAt).catch((error: unknown) => {
    logger.warn(
      { err: error, what },
      "a failed try could not be noted; it is made again when its claim ends",
    );
  });
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
