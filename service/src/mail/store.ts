import type { DataSource, EntityManager } from "typeorm";
import { In, LessThan, Like, MoreThan } from "typeorm";
import type { MailRow, PageQuery } from "../storage/index.ts";
import { MailEntity, readCursor, retried } from "../storage/index.ts";

export async function insertMail(manager: EntityManager, row: MailRow): Promise<void> {
  await manager.getRepository(MailEntity).insert(row);
}

export function findMail(dataSource: DataSource, id: string): Promise<MailRow | null> {
  return dataSource.getRepository(MailEntity).findOneBy({ id });
}

/** One more row than the page holds, newest first. */
export function listMails(
  dataSource: DataSource,
  { state }: { state?: MailRow["state"] | undefined },
  page: PageQuery,
): Promise<MailRow[]> {
  const cursor = readCursor(page);
  return dataSource.getRepository(MailEntity).find({
    where: {
      ...(cursor === null ? {} : { id: LessThan(cursor) }),
      ...(state === undefined ? {} : { state }),
    },
    order: { id: "DESC" },
    take: page.limit + 1,
  });
}

/** How a batch is claimed. */
export interface Claim {
  /** Unique to it. */
  readonly claim: string;
  readonly now: Date;
  readonly until: Date;
  readonly limit: number;
}

/** Claims what is due, the longest due first, by one UPDATE that is committed before anything is read. */
export async function claimDue(
  dataSource: DataSource,
  { claim, now, until, limit }: Claim,
): Promise<MailRow[]> {
  const { affectedRows } = await retried(() =>
    dataSource.query<{ affectedRows: number }>(
      `UPDATE mail SET claim = ?, claimedUntil = ?, tries = tries + 1, lastTryAt = ?
       WHERE state = 'waiting' AND nextTryAt <= ? AND (claimedUntil IS NULL OR claimedUntil <= ?)
       ORDER BY nextTryAt LIMIT ?`,
      [claim, until, now, now, now, limit],
    ),
  );
  return affectedRows === 0 ? [] : dataSource.getRepository(MailEntity).findBy({ claim });
}

/** Notes that these were accepted by the mail server. What they said is kept no longer. */
export async function noteSent(
  dataSource: DataSource,
  ids: readonly string[],
  lastAnswer: string,
): Promise<void> {
  const sent = { state: "sent", sealedBody: null, lastAnswer, nextTryAt: null } as const;
  await retried(() =>
    dataSource
      .getRepository(MailEntity)
      .update({ id: In([...ids]) }, { ...sent, claim: null, claimedUntil: null }),
  );
}

/** Notes that one was not. @param nextTryAt `null`: it is given up. */
export async function noteUnsent(
  dataSource: DataSource,
  { id, claim }: MailRow,
  { lastAnswer, nextTryAt }: { lastAnswer: string; nextTryAt: Date | null },
): Promise<void> {
  const state = nextTryAt === null ? "given-up" : "waiting";
  await retried(() =>
    dataSource
      .getRepository(MailEntity)
      .update(
        { id, ...(claim === null ? {} : { claim }) },
        { state, lastAnswer, nextTryAt, claim: null, claimedUntil: null },
      ),
  );
}

/** Gives claimed ones back that were not tried, so that another instance need not wait. */
export async function unclaim(dataSource: DataSource, claim: string, ids: readonly string[]): Promise<void> {
  await dataSource.query(
    "UPDATE mail SET claim = NULL, claimedUntil = NULL, tries = GREATEST(0, tries - 1) WHERE claim = ? AND id IN (?) AND state = 'waiting'",
    [claim, ids],
  );
}

/** Puts one back to the beginning. @returns whether it still has a body, and is not under way. */
export async function sendAgain(dataSource: DataSource, id: string, now: Date): Promise<boolean> {
  const { affectedRows } = await dataSource.query<{ affectedRows: number }>(
    `UPDATE mail SET state = 'waiting', tries = 0, nextTryAt = ? WHERE id = ? AND sealedBody IS NOT NULL
     AND state IN ('waiting', 'given-up') AND (claimedUntil IS NULL OR claimedUntil <= ?)`,
    [now, id, now],
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
  await dataSource.query("DELETE FROM mail WHERE state <> 'waiting' AND createdAt < ? LIMIT 1000", [before]);
}
