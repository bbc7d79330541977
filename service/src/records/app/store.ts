import { BUILT_IN_LABELS } from "@lucchetto/contract";
import type { AppRight } from "@lucchetto/contract";
import type { LinkPurpose } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { In, LessThan } from "typeorm";
import type { AppKeyRow, AppQuestionRow, AppRow, PageQuery } from "../../base/storage/index.ts";
import {
  AccountEntity,
  AppEntity,
  AppKeyEntity,
  readCursor,
  readList,
  sweepRows,
} from "../../base/storage/index.ts";

export async function insertApp(manager: EntityManager, row: AppRow): Promise<void> {
  await manager.getRepository(AppEntity).insert({ ...row });
}

export async function insertKey(manager: EntityManager, row: AppKeyRow): Promise<void> {
  await manager.getRepository(AppKeyEntity).insert(row);
}

/** Removes an app; its keys, codes and check tokens go with it. @returns whether it was there. */
export async function deleteApp(manager: EntityManager, id: string): Promise<boolean> {
  return (await manager.getRepository(AppEntity).delete({ id })).affected === 1;
}

/** An app under a lock. */
export function lockApp(manager: EntityManager, id: string): Promise<AppRow | null> {
  return manager.getRepository(AppEntity).findOne({ where: { id }, lock: { mode: "pessimistic_write" } });
}

export async function updateApp(manager: EntityManager, id: string, to: Partial<AppRow>): Promise<void> {
  await manager.getRepository(AppEntity).update({ id }, { ...to });
}

export async function deleteKey(
  manager: EntityManager,
  key: Pick<AppKeyRow, "id" | "appId">,
): Promise<boolean> {
  return (await manager.getRepository(AppKeyEntity).delete({ id: key.id, appId: key.appId })).affected === 1;
}

/** An app and the address of its first page. */
interface AppHome {
  readonly name: string;
  readonly home: string;
}

/** Applications to lead back to, the first one first. */
export async function listHomes(dataSource: DataSource): Promise<AppHome[]> {
  return oncePerHome(
    await dataSource.query<AppHome[]>(
      "SELECT name, home FROM app WHERE home IS NOT NULL ORDER BY createdAt LIMIT 20",
    ),
  );
}

/** Sessions of a person that are looked at for where they have been: the latest ones. */
const SESSIONS_LOOKED_AT = 200;

/**
 * The apps with a first page that an account's latest sessions entered, by a check token or by a form of the app's own;
 * the latest entered first.
 */
export async function listHomesOf(dataSource: DataSource, accountId: string): Promise<AppHome[]> {
  return oncePerHome(
    await dataSource.query<AppHome[]>(
      `WITH late AS (SELECT id, appId, createdAt FROM session WHERE accountId = ? ORDER BY id DESC LIMIT ${SESSIONS_LOOKED_AT}),
       entered AS (
         SELECT appId, createdAt FROM late WHERE appId IS NOT NULL
         UNION ALL
         SELECT check_token.appId, check_token.createdAt FROM late JOIN check_token ON check_token.sessionId = late.id
       )
       SELECT app.name, app.home FROM entered JOIN app ON app.id = entered.appId
       WHERE app.home IS NOT NULL
       GROUP BY app.id ORDER BY MAX(entered.createdAt) DESC, app.id LIMIT 20`,
      [accountId],
    ),
  );
}

/** Of several with one first page the first. */
function oncePerHome(rows: readonly AppHome[]): AppHome[] {
  const first = new Map<string, AppHome>();
  for (const row of rows) if (!first.has(row.home)) first.set(row.home, row);
  return [...first.values()];
}

/**
 * The page of an app with forms of its own to which a mailed link leads; `null`: to the people's pages, as do all of accounts that
 * operate Lucchetto.
 */
export async function findLinkAddress(
  manager: EntityManager,
  { appId, purpose, accountId }: { appId: string; purpose: LinkPurpose; accountId: string | null },
): Promise<string | null> {
  const app = await manager.getRepository(AppEntity).findOneBy({ id: appId, ownForms: true });
  const address = app?.linkAddresses[purpose];
  if (address === undefined) return null;
  const account =
    accountId === null ? null : await manager.getRepository(AccountEntity).findOneBy({ id: accountId });
  return account?.labels.some((label) => BUILT_IN_LABELS.includes(label)) === true ? null : address;
}

export function findApp(dataSource: DataSource, id: string): Promise<AppRow | null> {
  return dataSource.getRepository(AppEntity).findOneBy({ id });
}

/** Visible ASCII, as client ids are: the database takes nothing else for one, and would not see a blank at the end. */
const CLIENT_ID = /^[\x21-\x7e]{1,63}$/;

export async function findByClientId(dataSource: DataSource, clientId: string): Promise<AppRow | null> {
  if (!CLIENT_ID.test(clientId)) return null;
  return dataSource.getRepository(AppEntity).findOneBy({ clientId });
}

export function listKeysOf(dataSource: DataSource, appIds: readonly string[]): Promise<AppKeyRow[]> {
  return dataSource.getRepository(AppKeyEntity).find({ where: { appId: In(appIds) }, order: { id: "ASC" } });
}

/** An app's keys under a lock, so that two retirements at once cannot leave it without any. */
export function lockKeysOf(manager: EntityManager, appId: string): Promise<AppKeyRow[]> {
  return manager.getRepository(AppKeyEntity).find({ where: { appId }, lock: { mode: "pessimistic_write" } });
}

/** One more row than the page holds, newest first. */
export function listApps(dataSource: DataSource, page: PageQuery): Promise<AppRow[]> {
  const cursor = readCursor(page);
  return dataSource.getRepository(AppEntity).find({
    where: cursor === null ? {} : { id: LessThan(cursor) },
    order: { id: "DESC" },
    take: page.limit + 1,
  });
}

/** An app by one of its keys. */
export interface KeyedApp {
  readonly keyHash: Buffer;
  readonly appId: string;
  readonly clientId: string;
  readonly keyId: string;
  readonly keyLastUsedAt: Date | null;
  readonly ownForms: boolean;
  readonly basicPasswords: boolean;
  readonly rights: readonly AppRight[];
}

/** Holds a key and its app as they are until the transaction ends. @returns the app's rights; `null`: the key is there no longer. */
export async function holdKey(manager: EntityManager, id: string): Promise<readonly AppRight[] | null> {
  const [row] = await manager.query<Array<{ rights: unknown }>>(
    "SELECT app.rights FROM app_key JOIN app ON app.id = app_key.appId WHERE app_key.id = ? LOCK IN SHARE MODE",
    [id],
  );
  return row === undefined ? null : readList<AppRight>(row.rights);
}

/** The apps of these keys. */
export async function findByKeys(dataSource: DataSource, keyHashes: readonly Buffer[]): Promise<KeyedApp[]> {
  const rows = await dataSource.query<Array<Record<keyof KeyedApp, never>>>(
    `SELECT app_key.keyHash, app.id AS appId, app.clientId, app_key.id AS keyId, app_key.lastUsedAt AS keyLastUsedAt,
       app.ownForms, app.basicPasswords, app.rights
     FROM app_key JOIN app ON app.id = app_key.appId WHERE app_key.keyHash IN (?)`,
    [keyHashes],
  );
  return rows.map((row) => ({
    ...row,
    ownForms: Boolean(row.ownForms),
    basicPasswords: Boolean(row.basicPasswords),
    rights: readList<AppRight>(row.rights),
  }));
}

/** An app as the proxy check needs it. */
export type ProxiedApp = Pick<AppRow, "id" | "clientId" | "basicPasswords">;

/** The apps of these client ids, given as bytes. */
export async function findByClientIds(
  dataSource: DataSource,
  clientIds: readonly Buffer[],
): Promise<ProxiedApp[]> {
  const rows = await dataSource.query<Array<Record<keyof ProxiedApp, never>>>(
    "SELECT id, clientId, basicPasswords FROM app WHERE clientId IN (?)",
    [clientIds.map((clientId) => clientId.toString("latin1"))],
  );
  return rows.map((row) => ({ ...row, basicPasswords: Boolean(row.basicPasswords) }));
}

export async function noteKeyUse(dataSource: DataSource, id: string, now: Date): Promise<void> {
  await dataSource.getRepository(AppKeyEntity).update({ id }, { lastUsedAt: now });
}

/** Adds to the counts of a day. An app that was removed meanwhile is left out. */
export async function addQuestions(
  dataSource: DataSource,
  rows: ReadonlyArray<Pick<AppQuestionRow, "appId" | "kind" | "count">>,
  now: Date,
): Promise<void> {
  const day = now.toISOString().slice(0, 10);
  const places = rows.map(() => "(?, ?, ?, ?)").join(", ");
  await dataSource.query(
    `INSERT IGNORE INTO app_question (appId, day, kind, count) VALUES ${places}
     ON DUPLICATE KEY UPDATE count = count + VALUES(count)`,
    rows.flatMap(({ appId, kind, count }) => [appId, day, kind, count]),
  );
}

/** What these apps asked since a day: of each kind the sum, and today's part of it. */
export async function sumQuestions(
  dataSource: DataSource,
  appIds: readonly string[],
  { since, today }: { since: string; today: string },
): Promise<Array<{ appId: string; kind: string; today: number; all: number }>> {
  if (appIds.length === 0) return [];
  const rows = await dataSource.query<Array<{ appId: string; kind: string; today: string; all: string }>>(
    `SELECT appId, kind, SUM(IF(day = ?, count, 0)) AS today, SUM(count) AS \`all\`
     FROM app_question WHERE appId IN (?) AND day >= ? GROUP BY appId, kind ORDER BY kind`,
    [today, appIds, since],
  );
  return rows.map((row) => ({ ...row, today: Number(row.today), all: Number(row.all) }));
}

/** Removes counts of days long past. */
export async function sweepQuestions(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "app_question WHERE day < ?", [before.toISOString().slice(0, 10)]);
}
