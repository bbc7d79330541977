/** Sending notices: any instance, one sender a notice, claimed by a committed UPDATE; a receiver that hangs delays nobody else. */
import type { Delivery } from "@lucchetto/contract";
import { nextTryAfter, signWebhook } from "@lucchetto/core";
import type { FastifyBaseLogger } from "fastify";
import type { ServiceContext } from "../context.ts";
import { ProblemReply } from "../problem.ts";
import type { DeliveryRow } from "../storage/index.ts";
import { post, ReceiverFault } from "./post.ts";
import { claim, findDelivery, findDue, sendAgain, settle } from "./store.ts";

/** Milliseconds between two looks for what is due. */
const LOOK_EVERY = 500;
/** Notices on their way at once. */
const AT_ONCE = 8;
/** How long a claim holds beyond the time of a try: the sender died. */
const CLAIM_GRACE = 30_000;
const LONGEST_ANSWER = 190;

export interface Deliverer {
  /** Stops looking, and waits for what is on its way. */
  close(): Promise<void>;
}

/** Begins to deliver; without a receiver there is nothing to do. */
export function startDelivering(context: ServiceContext, logger: FastifyBaseLogger): Deliverer {
  const { configuration, dataSource, clock } = context;
  const { url, timeout } = configuration.webhooks.notify;
  const { secret, reach } = configuration.webhooks;
  if (url === undefined || secret === null) return { close: () => Promise.resolve() };
  const underway = new Set<Promise<void>>();

  const deliver = async (id: string): Promise<void> => {
    const now = clock.now();
    const row = await claim(dataSource, id, { now, until: new Date(now.getTime() + timeout + CLAIM_GRACE) });
    if (row === null) return;
    const headers = signWebhook(secret, { id, at: now, body: row.body });
    try {
      const { status } = await post(url, { body: row.body, headers }, { timeout, reach });
      if (status < 200 || status > 299) throw new ReceiverFault(`it answered ${status}`);
      await settle(dataSource, id, { state: "delivered", lastAnswer: String(status) });
    } catch (error) {
      if (!(error instanceof ReceiverFault)) throw error;
      const nextTryAt = nextTryAfter(row.tries, now);
      const lastAnswer = error.message.slice(0, LONGEST_ANSWER);
      if (nextTryAt === null) await settle(dataSource, id, { state: "given-up", lastAnswer });
      else await settle(dataSource, id, { state: "waiting", lastAnswer, nextTryAt });
    }
  };

  const look = async (): Promise<void> => {
    const free = AT_ONCE - underway.size;
    if (free <= 0) return;
    for (const id of await findDue(dataSource, clock.now(), free)) {
      const work = deliver(id)
        .catch((error: unknown) => logger.warn({ err: error }, "a notice could not be handled"))
        .finally(() => underway.delete(work));
      underway.add(work);
    }
  };

  let looking: Promise<void> = Promise.resolve();
  const timer = setInterval(() => {
    looking = look().catch((error: unknown) => {
      logger.debug({ err: error }, "due notices could not be looked for");
    });
  }, LOOK_EVERY);
  timer.unref();
  return {
    async close() {
      clearInterval(timer);
      await looking;
      await Promise.all(underway);
    },
  };
}

/** An operator sends one again. @throws ProblemReply `not-found`. */
export async function repeat({ dataSource, clock }: ServiceContext, id: string): Promise<DeliveryRow> {
  await sendAgain(dataSource, id, clock.now());
  const row = await findDelivery(dataSource, id);
  if (row === null) throw new ProblemReply("not-found");
  return row;
}

/** A delivery as the contract shows it. */
export function showDelivery(row: DeliveryRow): Delivery {
  return {
    id: row.id,
    type: row.type,
    accountId: row.accountId,
    state: row.state,
    tries: row.tries,
    createdAt: row.createdAt.toISOString(),
    nextTryAt: row.state === "waiting" ? row.nextTryAt.toISOString() : null,
    lastTryAt: row.lastTryAt?.toISOString() ?? null,
    lastAnswer: row.lastAnswer,
    body: row.body,
  };
}
