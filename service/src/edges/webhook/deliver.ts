/** Sending notices to the application; a receiver that hangs delays nobody else. */
import type { Delivery } from "@lucchetto/contract";
import { nextTryAfter, signWebhook } from "@lucchetto/core";
import type { FastifyBaseLogger } from "fastify";
import type { Background } from "../../base/background-work.ts";
import { post, ReceiverFault } from "../../base/http/post.ts";
import { ProblemReply } from "../../base/problem.ts";
import { drainQueue } from "../../base/queue/work.ts";
import type { DeliveryRow } from "../../base/storage/index.ts";
import { DeliveryEntity } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import { changeAsOperator } from "../../records/granting/actor.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { findDelivery, sendAgain } from "../../records/webhook/store.ts";

/** Notices on their way at once. */
const AT_ONCE = 8;

/** Begins to deliver; without a receiver there is nothing to do. */
export function startDelivering(context: ServiceContext, logger: FastifyBaseLogger): Background {
  const { url, timeout } = context.configuration.webhooks.notify;
  const { secret, reach } = context.configuration.webhooks;
  if (url === undefined || secret === null) return { close: () => Promise.resolve() };
  return drainQueue(
    context,
    {
      what: "notices",
      entity: DeliveryEntity,
      parallel: AT_ONCE,
      arrived: { state: "delivered" },
      nextTryAfter,
      async send({ id, body }) {
        const headers = signWebhook(secret, { id, at: context.clock.now(), body });
        try {
          const { status } = await post(url, { body, headers }, { timeout, reach });
          if (status >= 200 && status <= 299) return { arrived: true, answer: String(status) };
          return { arrived: false, answer: `it answered ${status}` };
        } catch (error) {
          if (!(error instanceof ReceiverFault)) throw error;
          return { arrived: false, answer: error.message };
        }
      },
    },
    logger,
  );
}

/** An operator sends one again. @throws ProblemReply `not-found`. */
export async function repeat(
  context: ServiceContext,
  operator: LiveSession,
  id: string,
): Promise<DeliveryRow> {
  await changeAsOperator(context, operator, ({ manager, now }) => sendAgain(manager, id, now));
  const row = await findDelivery(context.dataSource, id);
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
    nextTryAt: row.state === "waiting" ? (row.nextTryAt?.toISOString() ?? null) : null,
    lastTryAt: row.lastTryAt?.toISOString() ?? null,
    lastAnswer: row.lastAnswer,
    body: row.body,
  };
}
