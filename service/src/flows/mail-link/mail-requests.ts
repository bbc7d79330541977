/**
 * What was asked for by mail is written down before it is answered, alike for every name, so that a process that dies loses nothing
 * of what it took. It is done after the reply; what was left undone another process does as soon as the claim has lapsed.
 */
import { randomBytes } from "node:crypto";
import { NONCE_LENGTH, open, seal, SealError } from "@lucchetto/core";
import type { FastifyBaseLogger } from "fastify";
import type { DataSource } from "typeorm";
import type { Background } from "../../base/background-work.ts";
import { CLAIM_SECONDS } from "../../base/queue/claims.ts";
import type { SendResult } from "../../base/queue/work.ts";
import { drainQueue } from "../../base/queue/work.ts";
import type { AskedMailRow } from "../../base/storage/index.ts";
import { AskedMailEntity, earliestIdAt, newId, sweepRows } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import type { Asking, Settle } from "./ask.ts";
import { sendReset, sendSignIn, sendVerification } from "./ask.ts";
import type { AskedEmail } from "./change-email.ts";
import { sendChange } from "./change-email.ts";

/** What was asked for. */
type Asked =
  | { readonly purpose: "reset" | "verify"; readonly asking: Asking }
  | { readonly purpose: "sign-in"; readonly asking: Asking; readonly signInId: string }
  | { readonly purpose: "change-email"; readonly change: AskedEmail };

/** Somebody else did it meanwhile. */
class DoneAlready extends Error {
  override readonly name = "DoneAlready";
}

/** Milliseconds after which nobody waits for a link any more that was asked for. */
const WORTH_DOING = 30 * 60_000;
const MAX_TRIES = 20;
const TRY_AGAIN_AFTER = 2_000;
const PARALLEL = 2;

/** Writes it down. @returns does it; to be called after the reply. */
export async function persistMailRequest(
  context: ServiceContext,
  asked: Asked,
): Promise<() => Promise<void>> {
  const { dataSource, clock, sealingKeys } = context;
  const now = clock.now();
  const id = newId(now);
  const sealed = seal(sealingKeys, JSON.stringify(asked), placeOf(id), randomBytes(NONCE_LENGTH));
  // Claimed by whoever asks: nobody else needs to look at it unless this process dies.
  await dataSource.query(
    `INSERT INTO asked_mail (id, createdAt, sealed, state, tries, nextTryAt, claim, claimedUntil)
     VALUES (?, ?, ?, 'waiting', 1, ?, ?, UTC_TIMESTAMP(3) + INTERVAL ? SECOND)`,
    [id, now, sealed, now, id, CLAIM_SECONDS],
  );
  return () => doAsked(context, id, asked);
}

/** Does what processes that died have left. */
export function resumeAbandonedRequests(
  context: ServiceContext,
  logger: Pick<FastifyBaseLogger, "warn" | "debug">,
): Background {
  return drainQueue(
    context,
    {
      what: "links that were asked for",
      entity: AskedMailEntity,
      parallel: PARALLEL,
      // Its row has gone by then.
      arrived: {},
      send: (row) => doOne(context, row),
      nextTryAfter: (tries, now) => (tries < MAX_TRIES ? new Date(now.getTime() + TRY_AGAIN_AFTER) : null),
    },
    logger,
  );
}

async function doOne(context: ServiceContext, row: AskedMailRow): Promise<SendResult> {
  const never = (answer: string): SendResult => ({ arrived: false, answer, isFinal: true });
  if (context.clock.now().getTime() - row.createdAt.getTime() > WORTH_DOING)
    return never("not sent: nobody waits for it any more");
  let asked: Asked;
  try {
    asked = JSON.parse(open(context.sealingKeys, row.sealed, placeOf(row.id))) as Asked;
  } catch (error) {
    if (!(error instanceof SealError)) throw error;
    return never("not sent: it was sealed under a key that is not in the key ring any more");
  }
  await doAsked(context, row.id, asked);
  return { arrived: true, answer: "" };
}

async function doAsked(context: ServiceContext, id: string, asked: Asked): Promise<void> {
  let isSettled = false;
  const settle: Settle = async (manager) => {
    const { affected } = await manager.getRepository(AskedMailEntity).delete({ id });
    if (affected !== 1) throw new DoneAlready();
    isSettled = true;
  };
  try {
    await send(context, asked, settle);
    // There was nobody to write to.
    if (!isSettled) await settle(context.dataSource.manager);
  } catch (error) {
    if (!(error instanceof DoneAlready)) throw error;
  }
}

function send(context: ServiceContext, asked: Asked, settle: Settle): Promise<void> {
  switch (asked.purpose) {
    case "reset":
      return sendReset(context, asked.asking, settle);
    case "verify":
      return sendVerification(context, asked.asking, settle);
    case "sign-in":
      return sendSignIn(context, asked.asking, { signInId: asked.signInId, settle });
    case "change-email":
      return sendChange(context, asked.change, settle);
  }
}

/** Removes what could not be done. */
export async function sweepAsked(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "asked_mail WHERE id < ?", [earliestIdAt(before)]);
}

const placeOf = (record: string) => ({ table: "asked_mail", record, purpose: "asked" });
