/** Noting what arrived. */
import type { FastifyBaseLogger } from "fastify";
import type { QueuedRow } from "../storage/index.ts";
import type { Claims } from "./claims.ts";

/** Milliseconds in which what arrived is gathered, to be noted together. */
const GATHER = 20;
/** Milliseconds before a note that failed is tried again. */
const AGAIN_AFTER = 500;

export interface Arrivals {
  note(id: string, answer: string): void;
  /** Waits for what is being noted; what cannot be noted now is given one more try. */
  settled(): Promise<void>;
}

/** Notes of what arrived, joined into one UPDATE for all within a moment. */
export function noteTogether<Row extends QueuedRow>(
  claims: Claims<Row>,
  { arrived, what }: { readonly arrived: Partial<Row>; readonly what: string },
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
        await new Promise((resolve) => setTimeout(resolve, AGAIN_AFTER));
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
