import type { DataSource, EntityManager } from "typeorm";
import type { PasswordRecordRow } from "../storage/index.ts";
import { PasswordRecordEntity } from "../storage/index.ts";

export function findRecord(dataSource: DataSource, accountId: string): Promise<PasswordRecordRow | null> {
  return dataSource.getRepository(PasswordRecordEntity).findOneBy({ accountId });
}

export async function insertRecord(manager: EntityManager, row: PasswordRecordRow): Promise<void> {
  await manager.getRepository(PasswordRecordEntity).insert(row);
}

/** Puts a re-made record in the place of exactly the one it was made from; a newer password is never overwritten. */
export async function replaceRecord(
  manager: EntityManager,
  { accountId, from, to, now }: { accountId: string; from: string; to: string; now: Date },
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(PasswordRecordEntity)
    .update({ accountId, record: from }, { record: to, madeAt: now });
  return affected === 1;
}

/** Sets a new password's record, whatever stood there before. */
export async function setRecord(
  manager: EntityManager,
  { accountId, record, now }: { accountId: string; record: string; now: Date },
): Promise<void> {
  await manager.getRepository(PasswordRecordEntity).save({ accountId, record, setAt: now, madeAt: now });
}

/** The record, locked against changes until the transaction ends. */
export function lockRecord(manager: EntityManager, accountId: string): Promise<PasswordRecordRow | null> {
  return manager
    .getRepository(PasswordRecordEntity)
    .findOne({ where: { accountId }, lock: { mode: "pessimistic_write" } });
}
