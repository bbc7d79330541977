import type { DataSource, EntityManager } from "typeorm";
import { LessThan, MoreThanOrEqual } from "typeorm";
import type { JournalEntryRow, PageQuery } from "../../base/storage/index.ts";
import { earliestIdAt, JournalEntryEntity, readCursor } from "../../base/storage/index.ts";

export async function insertEntry(manager: EntityManager, row: JournalEntryRow): Promise<void> {
  await manager.getRepository(JournalEntryEntity).insert(row);
}

interface JournalFilter {
  readonly accountId?: string | undefined;
  readonly kind?: string | undefined;
  readonly requestId?: string | undefined;
}

/** One more row than the page holds, newest first. */
export function listEntries(
  dataSource: DataSource,
  { accountId, kind, requestId }: JournalFilter,
  page: PageQuery,
): Promise<JournalEntryRow[]> {
  const cursor = readCursor(page);
  return dataSource.getRepository(JournalEntryEntity).find({
    where: {
      ...(accountId === undefined ? {} : { accountId }),
      ...(kind === undefined ? {} : { kind: kind as JournalEntryRow["kind"] }),
      ...(requestId === undefined ? {} : { requestId }),
      ...(cursor === null ? {} : { id: LessThan(cursor) }),
    },
    order: { id: "DESC" },
    take: page.limit + 1,
  });
}

/** Whether this actor has an entry of this kind since `since`. */
export function hasDoneSince(
  dataSource: DataSource,
  { kind, actorId, since }: Pick<JournalEntryRow, "kind"> & { actorId: string; since: Date },
): Promise<boolean> {
  return dataSource
    .getRepository(JournalEntryEntity)
    .existsBy({ id: MoreThanOrEqual(earliestIdAt(since)), kind, actorId });
}

/** Names of whose the entries are and of who did what they say, by the entry's id. */
export async function findNames(
  dataSource: DataSource,
  ids: readonly string[],
): Promise<ReadonlyMap<string, Names>> {
  if (ids.length === 0) return new Map();
  const rows = await dataSource.query<Array<Names & { id: string }>>(
    `SELECT entry.id, COALESCE(subject.displayName, subject.username, subject.email) AS accountName,
            COALESCE(actor.displayName, actor.username, actor.email) AS actorName, app.name AS appName
     FROM journal_entry entry LEFT JOIN account subject ON subject.id = entry.accountId LEFT JOIN account actor ON actor.id = entry.actorId LEFT JOIN app ON app.id = entry.appId
     WHERE entry.id IN (?)`,
    [ids],
  );
  return new Map(rows.map(({ id, ...names }) => [id, names]));
}

interface Names {
  readonly accountName: string | null;
  readonly actorName: string | null;
  readonly appName: string | null;
}
