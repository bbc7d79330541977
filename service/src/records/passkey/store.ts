import type { VerifiedAssertion } from "@lucchetto/core/passkey";
import type { DataSource, EntityManager } from "typeorm";
import { In, IsNull, MoreThan } from "typeorm";
import type { Granted, PasskeyChallengeRow, PasskeyRow } from "../../base/storage/index.ts";
import { AccountEntity, PasskeyChallengeEntity, PasskeyEntity, sweepRows } from "../../base/storage/index.ts";

const LIVING = { removedAt: IsNull() };

export async function insertChallenge(manager: EntityManager, row: PasskeyChallengeRow): Promise<void> {
  await manager.getRepository(PasskeyChallengeEntity).insert({ ...row });
}

export function findChallenge(dataSource: DataSource, id: string): Promise<PasskeyChallengeRow | null> {
  return dataSource.getRepository(PasskeyChallengeEntity).findOneBy({ id });
}

/** Spends it, right answer or wrong. @returns whether it was this call that did. */
export async function spendChallenge(dataSource: DataSource, id: string, now: Date): Promise<boolean> {
  const { affected } = await dataSource
    .getRepository(PasskeyChallengeEntity)
    .update({ id, spentAt: IsNull(), expiresAt: MoreThan(now) }, { spentAt: now });
  return affected === 1;
}

/** Forgets those that expired before a time. */
export async function sweepChallenges(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "passkey_challenge WHERE expiresAt < ?", [before]);
}

/** An account's living ones, the first one first. */
export function listPasskeys(manager: EntityManager, accountId: string): Promise<PasskeyRow[]> {
  return manager.getRepository(PasskeyEntity).find({ where: { accountId, ...LIVING }, order: { id: "ASC" } });
}

export function hasPasskey(manager: EntityManager, accountId: string): Promise<boolean> {
  return manager.getRepository(PasskeyEntity).existsBy({ accountId, ...LIVING });
}

/** One's own living one. */
export function findPasskey(
  manager: EntityManager,
  own: Pick<PasskeyRow, "id" | "accountId">,
): Promise<PasskeyRow | null> {
  return manager.getRepository(PasskeyEntity).findOneBy({ id: own.id, accountId: own.accountId, ...LIVING });
}

/** The living one with a credential id. */
export function findByCredentialId(manager: EntityManager, credentialId: Buffer): Promise<PasskeyRow | null> {
  return manager.getRepository(PasskeyEntity).findOneBy({ credentialId, ...LIVING });
}

/** A credential id stays taken as long as its row is kept. @throws a duplicate of `passkey_credential`. */
export async function insertPasskey(manager: Granted, row: PasskeyRow): Promise<void> {
  await manager.getRepository(PasskeyEntity).insert({ ...row });
}

/**
 * Notes a use (Web Authentication Level 3, section 7.2, the last steps). Of two that answer with one counter only the first is noted.
 * @param removedAt as it was when it was looked at: one removed meanwhile opens nothing. @returns whether it was noted.
 */
export async function noteUse(
  manager: EntityManager,
  { id, signCount: before, userVerified, removedAt }: PasskeyRow,
  { use, now }: { use: VerifiedAssertion; now: Date },
): Promise<boolean> {
  const { affected } = await manager.getRepository(PasskeyEntity).update(
    { id, signCount: before, removedAt: removedAt ?? IsNull() },
    {
      signCount: use.signCount,
      backedUp: use.backedUp,
      userVerified: userVerified || use.userVerified,
      lastUsedAt: now,
    },
  );
  if (affected === 1) return true;
  // An update that changes nothing counts no row: without a counter two may come within one millisecond.
  const row = await manager.getRepository(PasskeyEntity).findOneBy({ id, removedAt: removedAt ?? IsNull() });
  return row !== null && row.signCount === before && use.signCount === before;
}

/** @returns whether it was there. */
export async function renamePasskey(
  manager: Granted,
  own: Pick<PasskeyRow, "id" | "accountId">,
  name: string,
): Promise<void> {
  await manager
    .getRepository(PasskeyEntity)
    .update({ id: own.id, accountId: own.accountId, ...LIVING }, { name });
}

/** Removes one; it is kept, unusable, so that it can come back. @returns whether it was there. */
export async function removePasskey(
  manager: Granted,
  own: Pick<PasskeyRow, "id" | "accountId">,
  now: Date,
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(PasskeyEntity)
    .update({ id: own.id, accountId: own.accountId, ...LIVING }, { removedAt: now });
  return affected === 1;
}

/** Removes all of an account; they are kept, unusable. @returns how many there were. */
export async function removePasskeysOf(manager: Granted, accountId: string, now: Date): Promise<number> {
  const { affected } = await manager
    .getRepository(PasskeyEntity)
    .update({ accountId, ...LIVING }, { removedAt: now });
  return affected ?? 0;
}

/** What an account has and had, as far as it is kept. */
export function listAllPasskeys(manager: EntityManager, accountId: string): Promise<PasskeyRow[]> {
  return manager.getRepository(PasskeyEntity).find({ where: { accountId }, order: { id: "ASC" } });
}

/** Brings removed ones back. */
export async function restorePasskeys(
  manager: Granted,
  accountId: string,
  ids: readonly string[],
): Promise<void> {
  await manager.getRepository(PasskeyEntity).update({ accountId, id: In([...ids]) }, { removedAt: null });
}

/** Deletes some of an account. */
export async function deletePasskeysOf(
  manager: Granted,
  accountId: string,
  ids: readonly string[],
): Promise<void> {
  await manager.getRepository(PasskeyEntity).delete({ accountId, id: In([...ids]) });
}

/** Living ones that were made for another relying party, by its id. */
export async function countOfOtherParties(
  dataSource: DataSource,
  relyingPartyId: string,
): Promise<Array<{ relyingPartyId: string; passkeys: number }>> {
  const rows = await dataSource.query<Array<{ relyingPartyId: string; passkeys: string }>>(
    `SELECT relyingPartyId, COUNT(*) AS passkeys FROM passkey
     WHERE removedAt IS NULL AND relyingPartyId <> ? GROUP BY relyingPartyId`,
    [relyingPartyId],
  );
  return rows.map((row) => ({ ...row, passkeys: Number(row.passkeys) }));
}

/** The account's random handle, made if it has none yet. */
export async function ensureUserHandle(
  manager: EntityManager,
  accountId: string,
  fresh: Buffer,
): Promise<Buffer> {
  const accounts = manager.getRepository(AccountEntity);
  await accounts.update({ id: accountId, userHandle: IsNull() }, { userHandle: fresh });
  const row = await accounts.findOne({
    select: { id: true, userHandle: true },
    where: { id: accountId },
  });
  return row?.userHandle ?? fresh;
}

/** The account's random handle; `null`: there was never a passkey. */
export async function findUserHandle(manager: EntityManager, accountId: string): Promise<Buffer | null> {
  const row = await manager
    .getRepository(AccountEntity)
    .findOne({ select: { id: true, userHandle: true }, where: { id: accountId } });
  return row?.userHandle ?? null;
}
