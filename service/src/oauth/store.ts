import type { HashedToken } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { IsNull } from "typeorm";
import type { JoinedRow, LiveSession } from "../session/store.ts";
import { SESSION_WITH_ACCOUNT, splitJoined } from "../session/store.ts";
import type { AuthorizationCodeRow, CheckTokenRow } from "../storage/index.ts";
import { AuthorizationCodeEntity, CheckTokenEntity } from "../storage/index.ts";

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

/** Removes codes that expired long ago, some at a time. */
export async function sweepCodes(dataSource: DataSource, before: Date): Promise<void> {
  await dataSource.query("DELETE FROM authorization_code WHERE expiresAt < ? LIMIT 500", [before]);
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
export interface CheckedToken extends LiveSession {
  readonly appId: string;
  readonly issuedAt: Date;
  readonly tokenEndedAt: Date | null;
}

/** One look-up of everything that an introspection answers with. */
export async function findCheckToken(
  dataSource: DataSource,
  tokenHash: HashedToken<"check-token">,
): Promise<CheckedToken | null> {
  const [row] = await dataSource.query<
    Array<JoinedRow & { appId: string; issuedAt: Date; tokenEndedAt: Date | null }>
  >(
    `SELECT c.appId, c.createdAt AS issuedAt, c.endedAt AS tokenEndedAt, ${SESSION_WITH_ACCOUNT}
     FROM check_token c JOIN session s ON s.id = c.sessionId JOIN account a ON a.id = s.accountId
     WHERE c.tokenHash = ?`,
    [tokenHash],
  );
  if (row === undefined) return null;
  return { ...splitJoined(row), appId: row.appId, issuedAt: row.issuedAt, tokenEndedAt: row.tokenEndedAt };
}
