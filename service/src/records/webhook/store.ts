import type { DataSource, EntityManager } from "typeorm";
import { noteQueued } from "../../base/queue/wake.ts";
import type { DeliveryRow, PageQuery } from "../../base/storage/index.ts";
import { DeliveryEntity, newId, readCursor, sweepRows } from "../../base/storage/index.ts";

export async function insertDelivery(
  manager: EntityManager,
  { type, accountId, body, now }: { type: string; accountId: string | null; body: string; now: Date },
): Promise<void> {
  await manager.getRepository(DeliveryEntity).insert({
    id: newId(now),
    type,
    accountId,
    body,
    state: "waiting",
    tries: 0,
    createdAt: now,
    nextTryAt: now,
    claim: null,
    claimedUntil: null,
    lastTryAt: null,
    lastAnswer: null,
  });
  noteQueued(manager, DeliveryEntity);
}

export function findDelivery(dataSource: DataSource, id: string): Promise<DeliveryRow | null> {
  return dataSource.getRepository(DeliveryEntity).findOneBy({ id });
}

/** Restarts a delivery's retry schedule, whatever its state. */
export async function sendAgain(manager: EntityManager, id: string, now: Date): Promise<void> {
  await manager
    .getRepository(DeliveryEntity)
    .update({ id }, { state: "waiting", tries: 0, nextTryAt: now, claim: null, claimedUntil: null });
}

/** One more row than the page holds, newest first. */
export function listDeliveries(
  dataSource: DataSource,
  { state }: { state?: DeliveryRow["state"] | undefined },
  page: PageQuery,
): Promise<DeliveryRow[]> {
  const query = dataSource
    .getRepository(DeliveryEntity)
    .createQueryBuilder("delivery")
    .orderBy("delivery.id", "DESC")
    .take(page.limit + 1);
  const cursor = readCursor(page);
  if (cursor !== null) query.andWhere("delivery.id < :cursor", { cursor });
  if (state !== undefined) query.andWhere("delivery.state = :state", { state });
  return query.getMany();
}

/** Forgets those that are settled and were made before a time. */
export async function sweepSettled(
  dataSource: DataSource,
  state: "delivered" | "given-up",
  before: Date,
): Promise<void> {
  await sweepRows(dataSource, "delivery WHERE state = ? AND createdAt < ?", [state, before]);
}
