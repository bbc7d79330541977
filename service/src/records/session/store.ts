import type { Grounds, HashedToken, SessionTimes } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { IsNull, LessThan, MoreThan } from "typeorm";
import type { AccountFacts, Granted, PageQuery, SessionFacts, SessionRow } from "../../base/storage/index.ts";
import { readCursor, readList, SessionEntity, sweepRows } from "../../base/storage/index.ts";

/** Of one account; more than anybody looks through. */
const MAX_SHOWN = 200;

/** A session with the account it belongs to, as one look-up finds them. */
export interface LiveSession {
  readonly session: SessionFacts;
  readonly account: AccountFacts;
}

const SESSION_COLUMNS = `s.id AS sid, s.tokenHash, s.kind, s.aal, s.amr, s.authTime, s.createdAt AS sessionCreatedAt,
  s.lastSeenAt, s.idleEndsAt, s.endsAt, s.endedAt, s.endReason, s.userAgent, s.network, s.appId,
  s.levelIdleEndsAt, s.levelEndsAt, s.firstProofAt`;
const ACCOUNT_COLUMNS = `a.id AS aid, a.reference, a.email, a.emailKey, a.emailVerifiedAt, a.username, a.usernameKey,
  a.displayName, a.state, a.labels, a.language, a.createdAt AS accountCreatedAt`;

/** Columns of a session joined with its account, for queries of the hot path. */
const SESSION_WITH_ACCOUNT = `${SESSION_COLUMNS}, ${ACCOUNT_COLUMNS}`;

/** A row of `SESSION_WITH_ACCOUNT`. */
type JoinedRow = Omit<SessionFacts, "id" | "accountId" | "createdAt" | "amr"> &
  Omit<AccountFacts, "id" | "createdAt" | "labels"> & {
    sid: string;
    aid: string;
    sessionCreatedAt: Date;
    accountCreatedAt: Date;
    amr: string;
    labels: string;
  };

/** Splits a joined row. */
function splitJoined(row: JoinedRow): LiveSession {
  return {
    session: {
      id: row.sid,
      tokenHash: row.tokenHash,
      accountId: row.aid,
      kind: row.kind,
      aal: row.aal,
      amr: readList(row.amr),
      authTime: row.authTime,
      createdAt: row.sessionCreatedAt,
      lastSeenAt: row.lastSeenAt,
      idleEndsAt: row.idleEndsAt,
      endsAt: row.endsAt,
      endedAt: row.endedAt,
      endReason: row.endReason,
      userAgent: row.userAgent,
      network: row.network,
      appId: row.appId,
      levelIdleEndsAt: row.levelIdleEndsAt,
      levelEndsAt: row.levelEndsAt,
      firstProofAt: row.firstProofAt,
    },
    account: {
      id: row.aid,
      reference: row.reference,
      email: row.email,
      emailKey: row.emailKey,
      emailVerifiedAt: row.emailVerifiedAt,
      username: row.username,
      usernameKey: row.usernameKey,
      displayName: row.displayName,
      state: row.state,
      labels: readList(row.labels),
      language: row.language,
      createdAt: row.accountCreatedAt,
    },
  };
}

/** The sessions under these own tokens with their accounts, alive or not. */
export async function findByTokens(
  dataSource: DataSource,
  tokenHashes: readonly Buffer[],
): Promise<LiveSession[]> {
  const rows = await dataSource.query<JoinedRow[]>(
    `SELECT ${SESSION_WITH_ACCOUNT} FROM session s JOIN account a ON a.id = s.accountId WHERE s.tokenHash IN (?)`,
    [tokenHashes],
  );
  return rows.map(splitJoined);
}

export async function insertSession(manager: EntityManager, row: SessionRow): Promise<void> {
  await manager.getRepository(SessionEntity).insert(row);
}

/** The living ones of an account, the latest used first. */
export function listLivingOf(dataSource: DataSource, accountId: string, now: Date): Promise<SessionRow[]> {
  return dataSource.getRepository(SessionEntity).find({
    where: { accountId, endedAt: IsNull(), idleEndsAt: MoreThan(now), endsAt: MoreThan(now) },
    order: { lastSeenAt: "DESC" },
    take: MAX_SHOWN,
  });
}

/** Whether an account had a session from a network before. */
export function hasSessionFrom(
  manager: EntityManager,
  accountId: string,
  network: string | null,
): Promise<boolean> {
  return manager
    .getRepository(SessionEntity)
    .existsBy({ accountId, network: network === null ? IsNull() : network });
}

/** Ends a session that has not ended yet. @returns whether it was this call that ended it. */
export async function endSession(
  manager: EntityManager,
  id: string,
  { now, reason }: { now: Date; reason: string },
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(SessionEntity)
    .update({ id, ...alive(now) }, { endedAt: now, endReason: reason });
  return affected === 1;
}

/** What is over stays as it ended. */
const alive = (now: Date) => ({ endedAt: IsNull(), idleEndsAt: MoreThan(now), endsAt: MoreThan(now) });

/**
 * Along the account's own sessions: by any other index the database would look at, and lock, those of other accounts, among them the session
 * of the operator who waits for this account.
 */
const END_OF_ACCOUNT = `UPDATE session FORCE INDEX (session_of_account) SET endedAt = ?, endReason = ?
  WHERE accountId = ? AND id <> ? AND endedAt IS NULL AND idleEndsAt > ? AND endsAt > ?`;

/** No session has this id. */
const NONE = "00000000-0000-0000-0000-000000000000";

/** Ends every living session of an account. */
export async function endSessionsOf(
  manager: Granted,
  accountId: string,
  ending: { now: Date; reason: string },
): Promise<void> {
  await endOtherSessionsOf(manager, accountId, NONE, ending);
}

/** Ends every session of an account but one; one past its limit has ended by itself, and is not told as ended now. @returns how many were ended. */
export async function endOtherSessionsOf(
  manager: Granted,
  accountId: string,
  exceptId: string,
  { now, reason }: { now: Date; reason: string },
): Promise<number> {
  const { affectedRows } = await manager.query<{ affectedRows: number }>(END_OF_ACCOUNT, [
    ...[now, reason, accountId, exceptId],
    ...[now, now],
  ]);
  return affectedRows;
}

/** Gives a living session a new own token in the place of exactly the one it has. @returns whether it did. */
export async function replaceToken(
  manager: EntityManager,
  session: Pick<SessionRow, "id" | "tokenHash">,
  tokenHash: HashedToken<"own-token">,
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(SessionEntity)
    .update({ id: session.id, tokenHash: session.tokenHash, endedAt: IsNull() }, { tokenHash });
  return affected === 1;
}

/** Which of these sessions live, of accounts that may be used. */
export async function findLiving(
  dataSource: DataSource,
  ids: readonly string[],
  now: Date,
): Promise<ReadonlySet<string>> {
  if (ids.length === 0) return new Set();
  const rows = await dataSource.query<Array<{ id: string }>>(
    `SELECT s.id FROM session s JOIN account a ON a.id = s.accountId
     WHERE s.id IN (?) AND s.endedAt IS NULL AND s.idleEndsAt > ? AND s.endsAt > ? AND a.state = 'active'`,
    [ids, now, now],
  );
  return new Set(rows.map(({ id }) => id));
}

/** Notes what was proved anew: when, by which methods, and the level that this reaches. */
export async function noteProof(
  manager: EntityManager,
  id: string,
  proved: Pick<SessionRow, "authTime" | "amr" | "aal" | "levelIdleEndsAt" | "levelEndsAt"> & Partial<Grounds>,
): Promise<void> {
  await manager.getRepository(SessionEntity).update({ id }, { ...proved, firstProofAt: null });
}

/** Notes that a first proof was shown again, and a second one is still wanted. */
export async function noteFirstProof(
  manager: EntityManager,
  id: string,
  noted: Grounds & { firstProofAt: Date },
): Promise<void> {
  await manager.getRepository(SessionEntity).update({ id }, noted);
}

export function findSession(dataSource: DataSource, id: string): Promise<SessionRow | null> {
  return dataSource.getRepository(SessionEntity).findOneBy({ id });
}

/** A session, locked against changes until the transaction ends. */
export function lockSession(manager: EntityManager, id: string): Promise<SessionRow | null> {
  return manager.getRepository(SessionEntity).findOne({ where: { id }, lock: { mode: "pessimistic_write" } });
}

/** A session, held as it is until the transaction ends; others may hold it, too. */
export function holdSession(manager: EntityManager, id: string): Promise<SessionRow | null> {
  return manager.getRepository(SessionEntity).findOne({ where: { id }, lock: { mode: "pessimistic_read" } });
}

/** One more row than the page holds, newest first. */
export function listSessions(
  dataSource: DataSource,
  { accountId }: { accountId?: string | undefined },
  page: PageQuery,
): Promise<SessionRow[]> {
  const cursor = readCursor(page);
  return dataSource.getRepository(SessionEntity).find({
    where: {
      ...(accountId === undefined ? {} : { accountId }),
      ...(cursor === null ? {} : { id: LessThan(cursor) }),
    },
    order: { id: "DESC" },
    take: page.limit + 1,
  });
}

/** What operators read beside sessions: whose they are, and the apps with forms of their own they were begun in. */
export async function namesBeside(
  dataSource: DataSource,
  sessionIds: readonly string[],
): Promise<ReadonlyMap<string, { accountName: string | null; appName: string | null }>> {
  if (sessionIds.length === 0) return new Map();
  const rows = await dataSource.query<
    Array<{ id: string; accountName: string | null; appName: string | null }>
  >(
    `SELECT s.id, COALESCE(a.displayName, a.username, a.email) AS accountName, app.name AS appName
     FROM session s JOIN account a ON a.id = s.accountId LEFT JOIN app ON app.id = s.appId WHERE s.id IN (?)`,
    [sessionIds],
  );
  return new Map(rows.map(({ id, ...names }) => [id, names]));
}

/** A use of a session: when, and how far its limits move on. */
export interface SessionUse extends Pick<SessionTimes, "lastSeenAt" | "idleEndsAt"> {
  readonly id: string;
  /** `null`: it was at level 1; it may have risen since. */
  readonly levelIdleEndsAt: Date | null;
}

/** Writes down uses of many sessions in one statement. A use never shortens a life, and never revives one. */
export async function noteUses(dataSource: DataSource, uses: readonly SessionUse[]): Promise<void> {
  const rows = uses
    .map(() => "SELECT ? AS id, ? AS lastSeenAt, ? AS idleEndsAt, ? AS levelIdleEndsAt")
    .join(" UNION ALL ");
  await dataSource.query(
    `UPDATE session s JOIN (${rows}) u ON s.id = u.id
     SET s.lastSeenAt = GREATEST(s.lastSeenAt, u.lastSeenAt), s.idleEndsAt = GREATEST(s.idleEndsAt, u.idleEndsAt),
       s.levelIdleEndsAt = IF(s.levelIdleEndsAt > u.lastSeenAt, GREATEST(s.levelIdleEndsAt, COALESCE(u.levelIdleEndsAt, s.levelIdleEndsAt)), s.levelIdleEndsAt)
     WHERE s.endedAt IS NULL`,
    uses.flatMap(({ id, lastSeenAt, idleEndsAt, levelIdleEndsAt }) => [
      id,
      lastSeenAt,
      idleEndsAt,
      levelIdleEndsAt,
    ]),
  );
}

/**
 * Removes sessions that ended before a time, with their check tokens, some at a time.
 * @returns how many were removed.
 */
export async function sweepSessions(dataSource: DataSource, before: Date): Promise<number> {
  let removed = 0;
  // Past its limit a session has ended without anybody writing it down.
  for (const column of ["endedAt", "endsAt"])
    removed += await sweepRows(dataSource, `session WHERE ${column} < ?`, [before]);
  return removed;
}
