import { readSealedDigest, schemeTextOf, SEALED_DIGEST_PREFIX } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { In, Like, MoreThanOrEqual } from "typeorm";
import type { PasswordRecordRow, SchemeCountRow } from "../storage/index.ts";
import { inTransaction, PasswordRecordEntity, SchemeCountEntity } from "../storage/index.ts";
import { noteReplaced } from "./imported-store.ts";

/** A record just made, and whether its password is enough beside a second factor only. */
export type NewRecord = Pick<PasswordRecordRow, "record" | "isShort">;

export function findRecord(dataSource: DataSource, accountId: string): Promise<PasswordRecordRow | null> {
  return dataSource.getRepository(PasswordRecordEntity).findOneBy({ accountId });
}

/** Whether there is a password that is not enough alone. */
export function hasShortRecord(manager: EntityManager, accountId: string): Promise<boolean> {
  return manager.getRepository(PasswordRecordEntity).existsBy({ accountId, isShort: true });
}

export function hasRecord(manager: EntityManager, accountId: string): Promise<boolean> {
  return manager.getRepository(PasswordRecordEntity).existsBy({ accountId });
}

export async function insertRecord(
  manager: EntityManager,
  { accountId, made, setAt }: { accountId: string; made: NewRecord; setAt: Date },
): Promise<void> {
  const row = { accountId, ...made, scheme: schemeTextOf(made.record), setAt, madeAt: setAt };
  await manager.getRepository(PasswordRecordEntity).insert(row);
}

/** Puts a re-made record in the place of exactly the one it was made from; a newer password is never overwritten. */
export async function replaceRecord(
  manager: EntityManager,
  { accountId, from, to, now }: { accountId: string; from: string; to: string; now: Date },
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(PasswordRecordEntity)
    .update({ accountId, record: from }, { record: to, scheme: schemeTextOf(to), madeAt: now });
  return affected === 1;
}

/** Puts it in the place of what an old digest that lay sealed was wrapped into since: the same password, and no newer one. */
export async function replaceWrapped(
  manager: EntityManager,
  { accountId, row, to, now }: { accountId: string; row: PasswordRecordRow; to: string; now: Date },
): Promise<boolean> {
  const sealed = readSealedDigest(row.record);
  if (sealed === null) return false;
  const scheme = Like(`%,recipe=${sealed.recipe}`);
  const { affected } = await manager
    .getRepository(PasswordRecordEntity)
    .update({ accountId, setAt: row.setAt, scheme }, { record: to, scheme: schemeTextOf(to), madeAt: now });
  return affected === 1;
}

/** Sets a new password's record, whatever stood there before. */
export async function setRecord(
  manager: EntityManager,
  { accountId, made, now }: { accountId: string; made: NewRecord; now: Date },
): Promise<void> {
  const row = { accountId, ...made, scheme: schemeTextOf(made.record), setAt: now, madeAt: now };
  await manager.getRepository(PasswordRecordEntity).save(row);
  await noteReplaced(manager, accountId, now);
}

/** Takes the password away. */
export async function deleteRecord(manager: EntityManager, accountId: string, now: Date): Promise<void> {
  await noteReplaced(manager, accountId, now);
  await manager.getRepository(PasswordRecordEntity).delete({ accountId });
}

/** The record, locked against changes until the transaction ends. */
export function lockRecord(manager: EntityManager, accountId: string): Promise<PasswordRecordRow | null> {
  return manager
    .getRepository(PasswordRecordEntity)
    .findOne({ where: { accountId }, lock: { mode: "pessimistic_write" } });
}

/** The schemes of these accounts' records, by account. */
export async function findSchemes(
  dataSource: DataSource,
  accountIds: readonly string[],
): Promise<ReadonlyMap<string, string>> {
  const rows = await dataSource.getRepository(PasswordRecordEntity).find({
    select: { accountId: true, scheme: true },
    where: { accountId: In([...accountIds]) },
  });
  return new Map(rows.map(({ accountId, scheme }) => [accountId, scheme]));
}

/** How many records there are of each scheme, and when somebody who has one last signed in. */
export async function countSchemes(
  dataSource: DataSource,
): Promise<Array<{ scheme: string; records: number; lastSignInAt: Date | null }>> {
  const rows = await dataSource
    .getRepository(PasswordRecordEntity)
    .createQueryBuilder("record")
    .innerJoin("account", "account", "account.id = record.accountId")
    .select("record.scheme", "scheme")
    .addSelect("COUNT(*)", "records")
    .addSelect("MAX(account.lastSignInAt)", "lastSignInAt")
    .groupBy("record.scheme")
    .getRawMany<{ scheme: string; records: string; lastSignInAt: Date | null }>();
  return rows.map((row) => ({ ...row, records: Number(row.records) }));
}

/** Notes the present counts as those of the day, whatever was noted of it before. */
export async function storeSchemeCounts(dataSource: DataSource, day: string): Promise<void> {
  await inTransaction(dataSource, async (manager) => {
    await manager.getRepository(SchemeCountEntity).delete({ day });
    await manager.query(
      "INSERT INTO scheme_count (day, scheme, records) SELECT ?, scheme, COUNT(*) FROM password_record GROUP BY scheme ON DUPLICATE KEY UPDATE records = VALUES(records)",
      [day],
    );
  });
}

/** The noted counts from a day on, oldest first. */
export function listSchemeCounts(dataSource: DataSource, from: string): Promise<SchemeCountRow[]> {
  return dataSource
    .getRepository(SchemeCountEntity)
    .find({ where: { day: MoreThanOrEqual(from) }, order: { day: "ASC", scheme: "ASC" } });
}

/** How many records are peppered under a key, or are old digests that lie sealed under it. */
export function countPepperedUnder(dataSource: DataSource, keyId: string): Promise<number> {
  const repository = dataSource.getRepository(PasswordRecordEntity);
  return repository.countBy([
    { scheme: Like(`%,pepper=${keyId}`) },
    { scheme: Like(`%,pepper=${keyId},recipe=%`) },
    { scheme: Like(`${SEALED_DIGEST_PREFIX}key=${keyId},recipe=%`) },
  ]);
}
