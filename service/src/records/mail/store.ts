import type { DataSource, EntityManager } from "typeorm";
import { IsNull, LessThan, Like, MoreThan } from "typeorm";
import { noteQueued } from "../../base/queue/wake.ts";
import type { MailRow, PageQuery } from "../../base/storage/index.ts";
import { MailEntity, readCursor, sweepRows } from "../../base/storage/index.ts";

export async function insertMail(manager: EntityManager, row: MailRow): Promise<void> {
  await manager.getRepository(MailEntity).insert(row);
  noteQueued(manager, MailEntity);
}

export function findMail(dataSource: DataSource, id: string): Promise<MailRow | null> {
  return dataSource.getRepository(MailEntity).findOneBy({ id });
}

/** One more row than the page holds, newest first. */
export function listMails(
  dataSource: DataSource,
  { state, to }: { state?: MailRow["state"] | undefined; to?: string | undefined },
  page: PageQuery,
): Promise<MailRow[]> {
  const cursor = readCursor(page);
  return dataSource.getRepository(MailEntity).find({
    where: {
      ...(cursor === null ? {} : { id: LessThan(cursor) }),
      ...(state === undefined ? {} : { state }),
      ...(to === undefined ? {} : { toAddress: to }),
    },
    order: { id: "DESC" },
    take: page.limit + 1,
  });
}

/** The newest whose body is still kept, sealed under another key than this. */
export function listNewestSealed(dataSource: DataSource, otherThan: string): Promise<MailRow[]> {
  return dataSource
    .getRepository(MailEntity)
    .createQueryBuilder("mail")
    .where("mail.sealedBody IS NOT NULL AND mail.sealedBody NOT LIKE :otherThan", { otherThan })
    .orderBy("mail.id", "DESC")
    .take(3)
    .getMany();
}

/** Puts one back to the beginning. @returns whether it still has a body, and is not under way. */
export async function sendAgain(manager: EntityManager, id: string, now: Date): Promise<boolean> {
  const { affectedRows } = await manager.query<{ affectedRows: number }>(
    `UPDATE mail SET state = 'waiting', tries = 0, nextTryAt = ? WHERE id = ? AND sealedBody IS NOT NULL
     AND state IN ('waiting', 'given-up') AND (claimedUntil IS NULL OR claimedUntil <= UTC_TIMESTAMP(3))`,
    [now, id],
  );
  return affectedRows === 1;
}

/** The newest of an account. */
export function listMailsOf(dataSource: DataSource, accountId: string, limit: number): Promise<MailRow[]> {
  return dataSource.getRepository(MailEntity).find({
    where: { accountId },
    order: { id: "DESC" },
    take: limit,
  });
}

/** How many mails of a template were written for an account since a time. */
export function countMailsOf(
  manager: EntityManager,
  { accountId, template, since }: { accountId: string; template: string; since: Date },
): Promise<number> {
  return manager.getRepository(MailEntity).countBy({ accountId, template, createdAt: MoreThan(since) });
}

/** How many bodies are sealed under a key. */
export function countSealedUnder(dataSource: DataSource, keyId: string): Promise<number> {
  return dataSource.getRepository(MailEntity).countBy({ sealedBody: Like(`${keyId}:%`) });
}

/** Forgets those that are settled and were written before a time, some at a time. */
export async function sweepMails(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "mail WHERE createdAt < ? AND state <> 'waiting'", [before]);
}

/** Forgets what was written to an address before it had an account, or beside it. */
export async function deleteMailsToStrangers(manager: EntityManager, toAddress: string): Promise<void> {
  await manager.getRepository(MailEntity).delete({ toAddress, accountId: IsNull() });
}
