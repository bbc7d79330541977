/**
 * The outbox: any instance sends, one sender a mail, claimed by a committed UPDATE. Mails are claimed by the batch and
 * those that were accepted are noted together, so that a full outbox drains at the mail server's pace and in constant
 * memory.
 */
import { performance } from "node:perf_hooks";
import { nextMailTryAfter } from "@lucchetto/core";
import type { FastifyBaseLogger } from "fastify";
import type { ServiceContext } from "../context.ts";
import type { MailRow } from "../storage/index.ts";
import { newId } from "../storage/index.ts";
import { openBody } from "./mail.ts";
import { messageOf } from "./message.ts";
import { claimDue, noteSent, noteUnsent, unclaim } from "./store.ts";
import type { MailTransport } from "./transport.ts";
import { openTransport, refusalOf } from "./transport.ts";

/** Milliseconds between two looks while nothing is due. */
const LOOK_EVERY = 500;
/** Mails claimed at once, for each connection. */
const BATCH = 40;
/** Milliseconds in which accepted mails are gathered, to be noted together. */
const GATHER = 20;
/** Milliseconds in which a batch begins its last try; a claim holds longer than that try can take. */
const BATCH_TIME = 60_000;
const TIMEOUTS_A_TRY = 3;

export interface Outbox {
  /** Stops looking, waits for what is on its way, and gives back what is not. */
  close(): Promise<void>;
}

/** Begins to send; without a mail server there is nothing to do. */
export function startSending(
  context: Pick<ServiceContext, "configuration" | "dataSource" | "clock" | "sealingKeys">,
  logger: Pick<FastifyBaseLogger, "warn" | "debug">,
): Outbox {
  const { configuration, dataSource, clock } = context;
  const settings = configuration.mail;
  if (settings.via !== "smtp") return { close: () => Promise.resolve() };
  const transport = openTransport(settings);
  const notes = joinNotes(context, logger);
  let isStopping = false;
  let pause: { end: () => void } | null = null;

  const drainOnce = async (): Promise<number> => {
    const now = clock.now();
    const lastBegin = performance.now() + BATCH_TIME;
    const until = new Date(now.getTime() + BATCH_TIME + TIMEOUTS_A_TRY * settings.timeout);
    const limit = settings.connections * BATCH;
    const claim = newId(now);
    const rows = await claimDue(dataSource, { claim, now, until, limit });
    const queue = [...rows];
    const worker = async (): Promise<void> => {
      while (!isStopping && performance.now() < lastBegin) {
        const row = queue.shift();
        if (row === undefined) return;
        await sendOne(context, transport, row, notes);
      }
    };
    await Promise.all(Array.from({ length: settings.connections }, worker));
    if (queue.length > 0)
      await unclaim(
        dataSource,
        claim,
        queue.map(({ id }) => id),
      );
    return rows.length;
  };

  const work = async (): Promise<void> => {
    while (!isStopping) {
      let found = 0;
      try {
        found = await drainOnce();
      } catch (error) {
        logger.debug({ err: error }, "the outbox could not be looked at");
      }
      if (found > 0 || isStopping) continue;
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, LOOK_EVERY);
        pause = {
          end() {
            clearTimeout(timer);
            resolve();
          },
        };
      });
    }
  };
  const working = work();
  return {
    async close() {
      isStopping = true;
      pause?.end();
      await working;
      await notes.settled();
      transport.close();
    },
  };
}

async function sendOne(
  { configuration, dataSource, clock, sealingKeys }: Parameters<typeof startSending>[0],
  transport: MailTransport,
  row: MailRow,
  notes: Notes,
): Promise<void> {
  const giveUp = (lastAnswer: string) => noteUnsent(dataSource, row, { lastAnswer, nextTryAt: null });
  if (row.expiresAt !== null && row.expiresAt <= clock.now())
    return giveUp("not sent: its link has expired meanwhile");
  const body = openBody(sealingKeys, row);
  if (body === null)
    return giveUp("not sent: it was sealed under a key that is not in the key ring any more");
  try {
    const { response } = await transport.sendMail(messageOf(configuration, row, body));
    notes.sent(row.id, response);
  } catch (error) {
    const { isFinal, answer } = refusalOf(error);
    const nextTryAt = isFinal ? null : nextMailTryAfter(row.tries, clock.now());
    await noteUnsent(dataSource, row, { lastAnswer: answer, nextTryAt });
  }
}

interface Notes {
  sent(id: string, response: string): void;
  /** Waits for what is being noted; what cannot be noted now is given one more try. */
  settled(): Promise<void>;
}

/** Notes of accepted mails, joined into one UPDATE for all that were accepted within a moment. */
function joinNotes(
  { dataSource }: Pick<ServiceContext, "dataSource">,
  logger: Pick<FastifyBaseLogger, "warn">,
): Notes {
  let gathered: string[] = [];
  let answer = "";
  let running: Promise<void> | null = null;
  let isClosing = false;
  const write = async (): Promise<void> => {
    while (gathered.length > 0) {
      if (!isClosing) await new Promise((resolve) => setTimeout(resolve, GATHER));
      const ids = gathered;
      gathered = [];
      try {
        await noteSent(dataSource, ids, answer);
      } catch (error) {
        // They were accepted; unless it can be noted they would be sent again when their claim ends.
        logger.warn({ err: error, mails: ids.length }, "accepted mails could not be noted; trying again");
        gathered = [...ids, ...gathered];
        if (isClosing) break;
        await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY));
      }
    }
    running = null;
  };
  return {
    sent(id, response) {
      gathered.push(id);
      answer = response.replace(/[\p{Cc}\s]+/gu, " ").slice(0, 190);
      running ??= write();
    },
    settled: async () => {
      isClosing = true;
      await running;
    },
  };
}
