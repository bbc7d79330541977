import type { Grounds } from "@lucchetto/core";
import {
  NO_GROUNDS,
  provedSinceOf,
  readSealedDigest,
  schemeTextOf,
  SEALED_DIGEST_PREFIX,
} from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { In, Like, MoreThan, MoreThanOrEqual } from "typeorm";
import type {
  FormerPasswordRow,
  Granted,
  PasswordRecordRow,
  SchemeCountRow,
} from "../../base/storage/index.ts";
import {
  FormerPasswordEntity,
  inTransaction,
  newId,
  PasswordRecordEntity,
  SchemeCountEntity,
  sweepRows,
} from "../../base/storage/index.ts";
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
  manager: Granted,
  { accountId, made, setAt }: { accountId: string; made: NewRecord; setAt: Date },
): Promise<void> {
  const row = { accountId, ...made, scheme: schemeTextOf(made.record), setAt, madeAt: setAt };
  await manager.getRepository(PasswordRecordEntity).insert({ ...row, provedSince: setAt });
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

/** With what a password is set. */
export interface SetWith {
  readonly grounds: Grounds;
  /** Hash of the mark of the browser in which it is set. */
  readonly browser: Buffer | null;
}

/** Somebody else chose it, or nothing but a mailbox was shown in a browser that nobody knows. */
export const SET_WITH_NOTHING: SetWith = { grounds: NO_GROUNDS, browser: null };

/** Sets a new password's record; what stood there before is kept for a while, and opens nothing. */
export async function setRecord(
  manager: Granted,
  { accountId, made, now, set }: { accountId: string; made: NewRecord; now: Date; set: SetWith },
): Promise<void> {
  await keepFormer(manager, accountId, now);
  const row = { accountId, ...made, scheme: schemeTextOf(made.record), setAt: now, madeAt: now };
  const { standsSince } = set.grounds;
  await manager.getRepository(PasswordRecordEntity).save({
    ...row,
    provedSince: provedSinceOf(now, set.grounds),
    standsSince,
    setInBrowser: set.browser,
  });
  await noteReplaced(manager, accountId, now);
}

/** Takes the password away; it is kept for a while, and opens nothing. */
export async function deleteRecord(manager: Granted, accountId: string, now: Date): Promise<void> {
  await keepFormer(manager, accountId, now);
  await noteReplaced(manager, accountId, now);
  await manager.getRepository(PasswordRecordEntity).delete({ accountId });
}

async function keepFormer(manager: EntityManager, accountId: string, now: Date): Promise<void> {
  const stands = await lockRecord(manager, accountId);
  if (stands === null) return;
  const { record, setAt, provedSince, standsSince, setInBrowser } = stands;
  const kept = { record, setAt, provedSince, standsSince, setInBrowser };
  await manager
    .getRepository(FormerPasswordEntity)
    .insert({ id: newId(now), accountId, ...kept, replacedAt: now });
}

/** A password that an account has or had, and how it was set. */
export type PasswordOnce = Omit<FormerPasswordRow, "id" | "replacedAt"> & {
  readonly replacedAt: Date | null;
};

/** The password at a time, and all after it, the first one first. */
export async function listPasswordsSince(
  manager: EntityManager,
  accountId: string,
  start: Date,
): Promise<PasswordOnce[]> {
  const former = await manager
    .getRepository(FormerPasswordEntity)
    .find({ where: { accountId, replacedAt: MoreThan(start) }, order: { setAt: "ASC", id: "ASC" } });
  const stands = await manager.getRepository(PasswordRecordEntity).findOneBy({ accountId });
  return stands === null ? former : [...former, { ...stands, replacedAt: null }];
}

/** Forgets passwords that were replaced before a time. */
export async function sweepFormerPasswords(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "former_password WHERE replacedAt < ?", [before]);
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
