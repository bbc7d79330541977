/** Chaining beside the requests: whichever instance has the claim, as long as it lives. */
import { setTimeout as delay } from "node:timers/promises";
import { writeHead } from "@lucchetto/core";
import type { FastifyBaseLogger } from "fastify";
import type { Background } from "../capability.ts";
import type { ServiceContext } from "../context.ts";
import { isStorageUnavailable, newId } from "../storage/index.ts";
import { CHAIN_BATCH, chainWaiting, resealPart } from "./chain.ts";
import { claimChain, giveChainBack, isAnyUnchained } from "./chain-store.ts";

/** Milliseconds between two looks at what waits. */
const LOOK_EVERY = 1_000;
/** Milliseconds between two heads in the log, which usually lies elsewhere than the database. */
const LOG_HEAD_EVERY = 3_600_000;

/** Starts it; it ends with the service. Without a key ring there is nothing to seal with, and nothing is chained. */
export function startChaining(context: ServiceContext, logger: FastifyBaseLogger): Background {
  if (context.configuration.keyRing === null) return { close: async () => undefined };
  const { dataSource, clock } = context;
  const claim = newId(clock.now());
  const stopping = new AbortController();
  const { signal } = stopping;
  let seen = 0;
  let headLoggedAt = Number.NEGATIVE_INFINITY;
  let isClaimed = false;

  async function look(): Promise<void> {
    while (!signal.aborted && (await isAnyUnchained(dataSource))) {
      isClaimed = await claimChain(dataSource, claim);
      if (!isClaimed) return;
      const { chained, head, isTouched } = await chainWaiting(context, { claim, seen });
      if (isTouched)
        logger.error(
          { position: head.position - chained },
          "the journal's chain was changed in the database by somebody else. Run: lucchetto journal verify",
        );
      // Of a chain that was thrown away as a whole nothing is left but what the log says.
      if (chained > 0 && head.position === chained)
        logger.warn(
          "the journal is chained from its beginning; that happens once, when it is chained at all",
        );
      seen = Math.max(seen, head.position);
      if (chained > 0 && performance.now() - headLoggedAt > LOG_HEAD_EVERY) {
        headLoggedAt = performance.now();
        logger.info({ head: writeHead(head) }, "the journal is chained up to here");
      }
      if (chained < CHAIN_BATCH) return;
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

  const done = (async () => {
    let isResealed = false;
    while (!signal.aborted) {
      try {
        if (!isResealed) await reseal();
        isResealed = true;
        await look();
      } catch (error) {
        const level = isStorageUnavailable(error) ? "debug" : "warn";
        logger[level]({ err: error }, "the journal could not be chained; it is tried again");
        // A database that does not answer is not waited for once more at the end; the claim lapses by itself.
        isClaimed = false;
      }
      await delay(LOOK_EVERY, undefined, { signal, ref: false }).catch(() => undefined);
    }
    if (!isClaimed) return;
    await giveChainBack(dataSource, claim).catch((error: unknown) =>
      logger.debug({ err: error }, "the claim on the journal's chain was not given back"),
    );
  })();
  return {
    async close() {
      stopping.abort();
      await done;
    },
  };
}
