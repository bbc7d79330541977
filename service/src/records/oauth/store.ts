import type { HashedToken } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { In, IsNull, Not } from "typeorm";
import type {
  AccountFacts,
  AuthorizationCodeRow,
  CheckTokenRow,
  SessionRow,
} from "../../base/storage/index.ts";
import { AuthorizationCodeEntity, CheckTokenEntity, readList, sweepRows } from "../../base/storage/index.ts";

export async function insertCode(manager: EntityManager, row: AuthorizationCodeRow): Promise<void> {
  await manager.getRepository(AuthorizationCodeEntity).insert(row);
}

export function findCode(
  dataSource: DataSource,
  codeHash: HashedToken<"authorization-code">,
): Promise<AuthorizationCodeRow | null> {
  return dataSource.getRepository(AuthorizationCodeEntity).findOneBy({ codeHash });
}

/** Spends a code. @returns whether it was this call that spent it. */
export async function spendCode(dataSource: DataSource, codeHash: Buffer, now: Date): Promise<boolean> {
  const { affected } = await dataSource
    .getRepository(AuthorizationCodeEntity)
    .update({ codeHash, spentAt: IsNull() }, { spentAt: now });
  return affected === 1;
}

/** Remembers that a used code was shown again: it ends before it began. */
export async function voidCode(manager: EntityManager, codeHash: Buffer): Promise<void> {
  await manager.query("UPDATE authorization_code SET expiresAt = createdAt WHERE codeHash = ?", [codeHash]);
}

/** Whether a spent code was not shown again, locked until the token that it gives is there. */
export async function isStillGood(manager: EntityManager, codeHash: Buffer): Promise<boolean> {
  const row = await manager
    .getRepository(AuthorizationCodeEntity)
    .findOne({ where: { codeHash }, lock: { mode: "pessimistic_write" } });
  return row !== null && row.expiresAt > row.createdAt;
}

/** Whether a code was exchanged that answered the request with this challenge (each request has its own, RFC 7636 section 7.1). */
export function isChallengeSpent(dataSource: DataSource, codeChallenge: string): Promise<boolean> {
  return dataSource
    .getRepository(AuthorizationCodeEntity)
    .existsBy({ codeChallenge, spentAt: Not(IsNull()) });
}

/** Unspent codes of a session for an app, but the newest so many: whoever asks over and over fills no table. */
export async function forgetOlderCodes(
  manager: EntityManager,
  { sessionId, appId }: Pick<AuthorizationCodeRow, "sessionId" | "appId">,
  keep: number,
): Promise<void> {
  const older = await manager.getRepository(AuthorizationCodeEntity).find({
    select: { codeHash: true },
    where: { sessionId, appId, spentAt: IsNull() },
    order: { createdAt: "DESC" },
    skip: keep,
    take: 100,
  });
  if (older.length > 0)
    await manager
      .getRepository(AuthorizationCodeEntity)
      .delete({ codeHash: In(older.map(({ codeHash }) => codeHash)) });
}

/** Check tokens of a session for an app, but the newest so many. @returns whether there was one. */
export async function forgetOlderTokens(
  manager: EntityManager,
  { sessionId, appId }: Pick<CheckTokenRow, "sessionId" | "appId">,
  keep: number,
): Promise<boolean> {
  const repository = manager.getRepository(CheckTokenEntity);
  const rows = await repository.find({
    select: { tokenHash: true },
    where: { sessionId, appId },
    order: { createdAt: "DESC" },
    take: keep + 100,
  });
  const older = rows.slice(keep).map(({ tokenHash }) => tokenHash);
  if (older.length > 0) await repository.delete({ tokenHash: In(older) });
  return rows.length > 0;
}

/** Removes codes that expired long ago, some at a time. */
export async function sweepCodes(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "authorization_code WHERE expiresAt < ?", [before]);
}

export async function insertCheckToken(manager: EntityManager, row: CheckTokenRow): Promise<void> {
  await manager.getRepository(CheckTokenEntity).insert(row);
}

/** Ends the check token that was given for a code, if one was. */
export async function endCheckTokenOfCode(
  manager: EntityManager,
  codeHash: Buffer,
  now: Date,
): Promise<void> {
  await manager.getRepository(CheckTokenEntity).update({ codeHash, endedAt: IsNull() }, { endedAt: now });
}

/** Ends a check token. @returns whether it was this call that ended it. */
export async function endCheckToken(
  manager: EntityManager,
  token: Pick<CheckTokenRow, "tokenHash" | "appId">,
  now: Date,
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(CheckTokenEntity)
    .update({ tokenHash: token.tokenHash, appId: token.appId, endedAt: IsNull() }, { endedAt: now });
  return affected === 1;
}

/** What an app may learn by a check token: the token's own life, its session and account. */
export interface CheckedToken {
  readonly checkHash: Buffer;
  readonly appId: string;
  readonly issuedAt: Date;
  readonly tokenEndedAt: Date | null;
  readonly session: Pick<
    SessionRow,
    | "id"
    | "kind"
    | "aal"
    | "amr"
    | "authTime"
    | "lastSeenAt"
    | "idleEndsAt"
    | "endsAt"
    | "endedAt"
    | "levelIdleEndsAt"
    | "levelEndsAt"
  >;
  readonly account: Pick<
    AccountFacts,
    "id" | "reference" | "email" | "emailVerifiedAt" | "username" | "displayName" | "state" | "labels"
  >;
}

/** A check token that its own app asks for, with the key that was shown. */
export interface KeyedToken extends CheckedToken {
  readonly keyHash: Buffer;
}

/** No more than an introspection answers with: this is read for every request of every application. */
const CHECK_COLUMNS = `c.tokenHash AS checkHash, c.appId, c.createdAt AS issuedAt, c.endedAt AS tokenEndedAt,
  s.id AS sid, s.kind, s.aal, s.amr, s.authTime, s.lastSeenAt, s.idleEndsAt, s.endsAt, s.endedAt,
  s.levelIdleEndsAt, s.levelEndsAt,
  a.id AS aid, a.reference, a.email, a.emailVerifiedAt, a.username, a.displayName, a.state, a.labels`;
/** Read in this order (STRAIGHT_JOIN): the token comes first, whatever the optimizer makes of an app that has nearly all of them. */
const CHECK_TABLES =
  "check_token c JOIN session s ON s.id = c.sessionId JOIN account a ON a.id = s.accountId";

type CheckRow = Omit<CheckedToken, "session" | "account"> &
  Omit<CheckedToken["session"], "id" | "amr"> &
  Omit<CheckedToken["account"], "id" | "labels"> & {
    readonly sid: string;
    readonly aid: string;
    readonly amr: unknown;
    readonly labels: unknown;
  };

/** Everything that introspections of these tokens answer with. */
export async function findCheckTokens(
  dataSource: DataSource,
  tokenHashes: readonly Buffer[],
): Promise<CheckedToken[]> {
  const rows = await dataSource.query<CheckRow[]>(
    `SELECT STRAIGHT_JOIN ${CHECK_COLUMNS} FROM ${CHECK_TABLES} WHERE c.tokenHash IN (?)`,
    [tokenHashes],
  );
  return rows.map(splitCheck);
}

/** Length of a hash; a pair is the token's and then the key's. */
const HASH_BYTES = 32;

/** What a token and a key of its own app are looked up by together. */
export function pairOf(tokenHash: Buffer, keyHash: Buffer): Buffer {
  return Buffer.concat([tokenHash, keyHash]);
}

/** Tokens that are asked for by their own apps: that the key still counts, and whose it is, is known by the same question. */
export async function findKeyedTokens(
  dataSource: DataSource,
  pairs: readonly Buffer[],
): Promise<KeyedToken[]> {
  const keys = new Map(pairs.map((pair) => [pair.toString("latin1", HASH_BYTES), pair.subarray(HASH_BYTES)]));
  const rows = await dataSource.query<Array<CheckRow & { readonly keyHash: Buffer }>>(
    `SELECT STRAIGHT_JOIN ${CHECK_COLUMNS}, k.keyHash FROM ${CHECK_TABLES} JOIN app_key k ON k.appId = c.appId
     WHERE c.tokenHash IN (?) AND k.keyHash IN (?)`,
    [pairs.map((pair) => pair.subarray(0, HASH_BYTES)), [...keys.values()]],
  );
  return rows.map((row) => Object.assign(splitCheck(row), { keyHash: row.keyHash }));
}

function splitCheck(row: CheckRow): CheckedToken {
  return {
    checkHash: row.checkHash,
    appId: row.appId,
    issuedAt: row.issuedAt,
    tokenEndedAt: row.tokenEndedAt,
    session: {
      id: row.sid,
      kind: row.kind,
      aal: row.aal,
      amr: readList(row.amr),
      authTime: row.authTime,
      lastSeenAt: row.lastSeenAt,
      idleEndsAt: row.idleEndsAt,
      endsAt: row.endsAt,
      endedAt: row.endedAt,
      levelIdleEndsAt: row.levelIdleEndsAt,
      levelEndsAt: row.levelEndsAt,
    },
    account: {
      id: row.aid,
      reference: row.reference,
      email: row.email,
      emailVerifiedAt: row.emailVerifiedAt,
      username: row.username,
      displayName: row.displayName,
      state: row.state,
      labels: readList(row.labels),
    },
  };
}
