/** Chaining beside the requests: whichever instance has the claim, as long as it lives. */
import { setTimeout as delay } from "node:timers/promises";
import type { ChainPoint } from "@lucchetto/core";
import { writeHead } from "@lucchetto/core";
import type { FastifyBaseLogger } from "fastify";
import type { Background } from "../../base/background-work.ts";
import { DAY } from "../../base/duration.ts";
import { giveLeaseBack, isStorageUnavailable, newId, takeLease } from "../../base/storage/index.ts";
import type { ServiceContext } from "../context.ts";
import { CHAIN_LEASE, findOldestUnchained, isAnyUnchained, readEnds } from "./chain-store.ts";
import type { Chained } from "./chain.ts";
import { CHAIN_BATCH, chainWaiting, isHeld, resealPart } from "./chain.ts";
import { keepHead, readKeptHead } from "./kept-head.ts";

/** Milliseconds between two looks at what waits. */
const LOOK_EVERY = 1_000;
/** Milliseconds for which whoever failed leaves it to the others. */
const AFTER_FAULT = 10_000;
/** Milliseconds after which it is told that nothing is chained, and between two times of telling. */
const STOPPED_AFTER = 120_000;
const LOG_STOP_EVERY = 300_000;
/** Milliseconds between two heads in the log. */
const LOG_HEAD_EVERY = 3_600_000;

/** Starts it; it ends with the service. Without a key ring there is nothing to seal with, and nothing is chained. */
export function startChaining(context: ServiceContext, logger: FastifyBaseLogger): Background {
  if (context.configuration.keyRing === null) return { close: async () => undefined };
  const { dataSource, clock } = context;
  const { headFile } = context.configuration.journal;
  const claim = newId(clock.now());
  const stopping = new AbortController();
  const { signal } = stopping;
  let seen = 0;
  let headLoggedAt = Number.NEGATIVE_INFINITY;
  let stopLoggedAt = Number.NEGATIVE_INFINITY;
  let fileFaultLoggedAt = Number.NEGATIVE_INFINITY;
  let isClaimed = false;

  async function look(): Promise<void> {
    while (!signal.aborted && (await isAnyUnchained(dataSource))) {
      isClaimed = await takeLease(dataSource, CHAIN_LEASE, claim);
      if (!isClaimed) return warnOfStop();
      const chained = await chainWaiting(context, { claim, seen });
      if (chained === null) return;
      say(chained);
      await keep(chained.head);
      seen = Math.max(seen, chained.head.position);
      if (chained.entries < CHAIN_BATCH) return;
    }
  }

  /** Another instance has the claim, and chains nothing; or somebody else keeps it from all. */
  async function warnOfStop(): Promise<void> {
    const oldest = await findOldestUnchained(dataSource.manager);
    if (oldest === null || clock.now().getTime() - oldest.getTime() < STOPPED_AFTER) return;
    if (performance.now() - stopLoggedAt < LOG_STOP_EVERY) return;
    stopLoggedAt = performance.now();
    logger.error(
      { since: oldest },
      "the journal has not been chained for minutes, though another instance claims to. Look at the other instances' logs, and at who changes the table journal_chain",
    );
  }

  /** The log usually lies elsewhere than the database: what it says cannot be changed there. */
  function say({ entries, since, head, isTouched }: Chained): void {
    if (isTouched)
      logger.error(
        { position: head.position - entries },
        "the journal's chain was changed in the database by somebody else. Run: lucchetto journal verify",
      );
    if (head.position === entries) {
      // As after the first start, or when a chain was thrown away as a whole.
      const isOld = clock.now().getTime() - since.getTime() > DAY;
      logger[isOld ? "warn" : "info"]({ since }, "the journal is chained from its beginning");
    }
    if (performance.now() - headLoggedAt > LOG_HEAD_EVERY) {
      headLoggedAt = performance.now();
      logger.info({ head: writeHead(head) }, "the journal is chained up to here");
    }
  }

  /** At every start: a head that went back while nothing ran is found by the one that was kept, in the file or in the log. */
  async function lookWhereItStands(): Promise<void> {
    const ends = await readEnds(dataSource.manager);
    const { head } = ends;
    if (head.position > 0) logger.info({ head: writeHead(head) }, "the journal's chain stands here");
    const kept = headFile === undefined ? null : await readKeptHead(headFile, logger);
    if (kept === null || (await isHeld(dataSource.manager, ends, kept)) !== false) return;
    logger.error(
      { kept: writeHead(kept), head: writeHead(head), file: headFile },
      "the journal's chain does not hold the head that was kept: it was put back or written anew while nothing ran. Run: lucchetto journal verify. After restoring a backup remove the file",
    );
    // What is chained from now on leaves a gap behind what was known, so that verifying names it from then on.
    seen = Math.max(seen, kept.position);
  }

  async function keep(head: ChainPoint): Promise<void> {
    if (headFile === undefined) return;
    try {
      await keepHead(headFile, head);
    } catch (error) {
      if (performance.now() - fileFaultLoggedAt < LOG_STOP_EVERY) return;
      fileFaultLoggedAt = performance.now();
      logger.warn({ err: error, file: headFile }, "the journal's head could not be kept (journal.headFile)");
    }
  }

  async function reseal(): Promise<void> {
    let next: number | null = 0;
    let sealed = 0;
    while (next !== null && !signal.aborted) {
      const part = await resealPart(context, next);
      sealed += part.sealed;
      next = part.next;
    }
    if (sealed > 0)
      logger.info({ entries: sealed, key: context.sealingKeys.current }, "the journal was sealed anew");
  }

  async function giveBack(): Promise<void> {
    if (!isClaimed) return;
    isClaimed = false;
    await giveLeaseBack(dataSource, CHAIN_LEASE, claim).catch((error: unknown) =>
      logger.debug({ err: error }, "the claim on the journal's chain was not given back"),
    );
  }

  const done = (async () => {
    let isResealed = false;
    while (!signal.aborted) {
      let pause = LOOK_EVERY;
      try {
        if (!isResealed) await lookWhereItStands();
        if (!isResealed) await reseal();
        isResealed = true;
        await look();
      } catch (error) {
        const isAway = isStorageUnavailable(error);
        logger[isAway ? "debug" : "warn"](
          { err: error },
          "the journal could not be chained; it is tried again",
        );
        // A database that does not answer is not waited for once more; the claim lapses by itself.
        if (isAway) isClaimed = false;
        else pause = AFTER_FAULT;
        await giveBack();
      }
      // Ended early when the service stops.
      await delay(pause, undefined, { signal, ref: false }).catch(() => undefined);
    }
    await giveBack();
  })();
  return {
    async close() {
      stopping.abort();
      await done;
    },
  };
}
