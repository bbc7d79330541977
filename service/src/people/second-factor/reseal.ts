/**
 * Secrets sealed anew under a promoted key, beside the requests: after a start with another current key, a batch at a time. Whoever is
 * cut off goes on at the next start with what is left.
 */
import { setTimeout as delay } from "node:timers/promises";
import type { FastifyBaseLogger } from "fastify";
import type { Background } from "../../base/background-work.ts";
import type { ServiceContext } from "../../records/context.ts";
import { openSecret, reencryptIfOldKey } from "../../records/second-factor/secret.ts";
import { listSealedOtherwise, replaceSealed } from "../../records/second-factor/store.ts";

/** Secrets of one batch. */
const BATCH = 200;
/** Milliseconds until it is tried again after the database failed. */
const PAUSE = 60_000;

/** Starts it; it ends by itself when nothing is left. */
export function startResealing(context: ServiceContext, logger: FastifyBaseLogger): Background {
  const stopping = new AbortController();
  const done = (async () => {
    let sealed = 0;
    let after = "";
    while (!stopping.signal.aborted) {
      try {
        const batch = await resealBatch(context, after);
        sealed += batch.sealed;
        if (batch.last === null) break;
        after = batch.last;
      } catch (error) {
        logger.warn({ err: error }, "secrets could not be sealed anew; it is tried again");
        // Ended early when the service stops.
        await delay(PAUSE, undefined, { signal: stopping.signal, ref: false }).catch(() => undefined);
      }
    }
    if (sealed > 0)
      logger.info({ secrets: sealed, key: context.sealingKeys.current }, "secrets were sealed anew");
  })();
  return {
    async close() {
      stopping.abort();
      await done;
    },
  };
}

/** @returns how many were sealed anew, and the id of the last one looked at; `null`: there are no more. */
async function resealBatch(
  context: ServiceContext,
  after: string,
): Promise<{ sealed: number; last: string | null }> {
  const { dataSource, sealingKeys } = context;
  const rows = await listSealedOtherwise(dataSource, { keyId: sealingKeys.current, after, most: BATCH });
  let sealed = 0;
  for (const row of rows) {
    const secret = openSecret(context, row);
    const anew = secret === null ? null : reencryptIfOldKey(context, row, secret);
    // Somebody who signs in at this moment seals it anew as well: whoever comes second changes nothing.
    if (anew !== null && (await replaceSealed(dataSource, row, anew))) sealed += 1;
  }
  return { sealed, last: rows.at(-1)?.id ?? null };
}
