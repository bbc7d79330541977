import type { DataSource, EntityManager } from "typeorm";
import { In, LessThan, MoreThanOrEqual, Not } from "typeorm";
import type { AccessKeyRow, AccountFacts, Granted } from "../../base/storage/index.ts";
import { AccessKeyEntity, readList } from "../../base/storage/index.ts";

export async function insertAccessKey(manager: Granted, row: AccessKeyRow): Promise<void> {
  await manager.getRepository(AccessKeyEntity).insert({ ...row });
}

export function countAccessKeysOf(manager: EntityManager, accountId: string): Promise<number> {
  return manager.getRepository(AccessKeyEntity).countBy({ accountId });
}

/** Newest first. */
export function listAccessKeysOf(
  database: DataSource | EntityManager,
  accountId: string,
): Promise<AccessKeyRow[]> {
  return database.getRepository(AccessKeyEntity).find({ where: { accountId }, order: { id: "DESC" } });
}

/** @returns whether it was there. */
export async function deleteAccessKey(
  manager: Granted,
  key: Pick<AccessKeyRow, "id" | "accountId">,
): Promise<boolean> {
  const { id, accountId } = key;
  return (await manager.getRepository(AccessKeyEntity).delete({ id, accountId })).affected === 1;
}

/** All of an account, or those made before a time. @returns how many there were. */
export async function deleteAccessKeysOf(
  manager: Granted,
  accountId: string,
  { before = null }: { before?: Date | null } = {},
): Promise<number> {
  const which = { accountId, ...(before === null ? {} : { createdAt: LessThan(before) }) };
  return (await manager.getRepository(AccessKeyEntity).delete(which)).affected ?? 0;
}

/** Those made since a time, but these. @returns how many there were. */
export async function deleteAccessKeysSince(
  manager: Granted,
  accountId: string,
  { since, except }: { since: Date; except: readonly string[] },
): Promise<number> {
  const which = { accountId, createdAt: MoreThanOrEqual(since), id: Not(In([...except])) };
  return (await manager.getRepository(AccessKeyEntity).delete(which)).affected ?? 0;
}

export async function noteAccessKeyUse(dataSource: DataSource, id: string, now: Date): Promise<void> {
  await dataSource.getRepository(AccessKeyEntity).update({ id }, { lastUsedAt: now });
}

/** A key with its account. */
export interface HeldAccessKey extends Pick<
  AccessKeyRow,
  "id" | "keyHash" | "labels" | "createdAt" | "expiresAt" | "lastUsedAt"
> {
  readonly account: Pick<
    AccountFacts,
    | "id"
    | "reference"
    | "email"
    | "emailKey"
    | "emailVerifiedAt"
    | "username"
    | "usernameKey"
    | "displayName"
    | "state"
    | "labels"
  >;
}

/** The keys of these hashes with their accounts, whatever their state. */
export async function findAccessKeys(
  dataSource: DataSource,
  keyHashes: readonly Buffer[],
): Promise<HeldAccessKey[]> {
  type Row = Omit<HeldAccessKey, "account" | "labels"> &
    Omit<HeldAccessKey["account"], "id" | "labels"> & { aid: string; keyLabels: unknown; labels: unknown };
  const rows = await dataSource.query<Row[]>(
    `SELECT k.id, k.keyHash, k.labels AS keyLabels, k.createdAt, k.expiresAt, k.lastUsedAt,
       a.id AS aid, a.reference, a.email, a.emailKey, a.emailVerifiedAt, a.username, a.usernameKey, a.displayName, a.state, a.labels
     FROM access_key k JOIN account a ON a.id = k.accountId WHERE k.keyHash IN (?)`,
    [keyHashes],
  );
  return rows.map(
    ({ id, keyHash, keyLabels, createdAt, expiresAt, lastUsedAt, aid, labels, ...account }) => ({
      id,
      keyHash,
      labels: keyLabels === null ? null : readList(keyLabels),
      createdAt,
      expiresAt,
      lastUsedAt,
      account: { ...account, id: aid, labels: readList(labels) },
    }),
  );
}
