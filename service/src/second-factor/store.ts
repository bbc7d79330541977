import { MOST_AUTHENTICATORS } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { In, IsNull, LessThan, LessThanOrEqual, MoreThanOrEqual, Not } from "typeorm";
import type { AuthenticatorRow, RecoveryCodeRow } from "../storage/index.ts";
import { AuthenticatorEntity, RecoveryCodeEntity } from "../storage/index.ts";

const CONFIRMED = { activatedAt: Not(IsNull()) };

/** Whether there is a confirmed authenticator. */
export function hasAuthenticator(manager: EntityManager, accountId: string): Promise<boolean> {
  return manager.getRepository(AuthenticatorEntity).existsBy({ accountId, ...CONFIRMED });
}

/** Whether a recovery code is left. Alone they are no second factor: they go with the last authenticator. */
export async function hasRecoveryCode(manager: EntityManager, accountId: string): Promise<boolean> {
  return (await hasAuthenticator(manager, accountId)) && (await countUnusedCodes(manager, accountId)) > 0;
}

/** The confirmed ones of an account, the first one first. */
export function listConfirmed(manager: EntityManager, accountId: string): Promise<AuthenticatorRow[]> {
  return manager.getRepository(AuthenticatorEntity).find({
    where: { accountId, ...CONFIRMED },
    order: { id: "ASC" },
    take: MOST_AUTHENTICATORS,
  });
}

export function findAuthenticator(
  manager: EntityManager,
  own: Pick<AuthenticatorRow, "id" | "accountId">,
): Promise<AuthenticatorRow | null> {
  return manager.getRepository(AuthenticatorEntity).findOneBy({ id: own.id, accountId: own.accountId });
}

export async function insertAuthenticator(manager: EntityManager, row: AuthenticatorRow): Promise<void> {
  await manager.getRepository(AuthenticatorEntity).insert({ ...row });
}

/** Confirms one by the step of its first code. @returns whether it was this call that did. */
export async function activate(
  manager: EntityManager,
  id: string,
  { step, now }: { step: number; now: Date },
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(AuthenticatorEntity)
    .update({ id, activatedAt: IsNull() }, { activatedAt: now, lastUsedAt: now, lastStep: step });
  return affected === 1;
}

/**
 * Spends a step, and with it all before.
 * @param sealedAnew the secret under the present key; `null`: it is already.
 * @returns whether it was this call that spent it.
 */
export async function spendStep(
  manager: EntityManager,
  id: string,
  { step, now, sealedAnew }: { step: number; now: Date; sealedAnew: string | null },
): Promise<boolean> {
  const changed = {
    lastStep: step,
    lastUsedAt: now,
    ...(sealedAnew === null ? {} : { sealedSecret: sealedAnew }),
  };
  const { affected } = await manager
    .getRepository(AuthenticatorEntity)
    .update({ id, ...CONFIRMED, lastStep: LessThan(step) }, changed);
  return affected === 1;
}

/** @returns whether it was there. */
export async function rename(
  manager: EntityManager,
  own: Pick<AuthenticatorRow, "id" | "accountId">,
  name: string,
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(AuthenticatorEntity)
    .update({ id: own.id, accountId: own.accountId, ...CONFIRMED }, { name });
  return affected === 1;
}

/** @returns whether it was there. */
export async function deleteAuthenticator(
  manager: EntityManager,
  own: Pick<AuthenticatorRow, "id" | "accountId">,
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(AuthenticatorEntity)
    .delete({ id: own.id, accountId: own.accountId, ...CONFIRMED });
  return affected === 1;
}

/** Forgets enrolments of an account that were not confirmed. */
export async function deleteUnconfirmed(manager: EntityManager, accountId: string): Promise<void> {
  await manager.getRepository(AuthenticatorEntity).delete({ accountId, activatedAt: IsNull() });
}

/** Forgets enrolments that lapsed before a time. */
export async function sweepEnrolments(dataSource: DataSource, before: Date): Promise<void> {
  await dataSource
    .getRepository(AuthenticatorEntity)
    .delete({ activatedAt: IsNull(), expiresAt: LessThanOrEqual(before) });
}

/** Takes away what came since a time: authenticators, and recovery codes that were made then. */
export async function deleteSecondFactorsSince(
  manager: EntityManager,
  accountId: string,
  since: Date,
): Promise<void> {
  await manager.getRepository(AuthenticatorEntity).delete({ accountId, createdAt: MoreThanOrEqual(since) });
  await manager.getRepository(RecoveryCodeEntity).delete({ accountId, createdAt: MoreThanOrEqual(since) });
}

/** Removes every second factor of an account. */
export async function deleteSecondFactorsOf(manager: EntityManager, accountId: string): Promise<void> {
  await manager.getRepository(AuthenticatorEntity).delete({ accountId });
  await deleteCodes(manager, accountId);
}

/** Puts a set in the place of whatever there was. */
export async function replaceCodes(
  manager: EntityManager,
  accountId: string,
  rows: readonly RecoveryCodeRow[],
): Promise<void> {
  await deleteCodes(manager, accountId);
  await manager.getRepository(RecoveryCodeEntity).insert(rows.map((row) => ({ ...row })));
}

export async function deleteCodes(manager: EntityManager, accountId: string): Promise<void> {
  await manager.getRepository(RecoveryCodeEntity).delete({ accountId });
}

export function countUnusedCodes(manager: EntityManager, accountId: string): Promise<number> {
  return manager.getRepository(RecoveryCodeEntity).countBy({ accountId, usedAt: IsNull() });
}

/** Whether one of these is an unused code of the account. */
export function isUnusedCode(
  manager: EntityManager,
  accountId: string,
  hashes: readonly Buffer[],
): Promise<boolean> {
  return manager
    .getRepository(RecoveryCodeEntity)
    .existsBy({ accountId, codeHash: In(hashes), usedAt: IsNull() });
}

/** Spends a code. @returns whether it was this call that spent it. */
export async function spendCode(
  manager: EntityManager,
  accountId: string,
  { hashes, now }: { hashes: readonly Buffer[]; now: Date },
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(RecoveryCodeEntity)
    .update({ accountId, codeHash: In(hashes), usedAt: IsNull() }, { usedAt: now });
  return affected === 1;
}

/** What stands under a key of the ring, and would be lost with it. */
export async function countUnderKey(
  dataSource: DataSource,
  keyId: string,
): Promise<{ authenticators: number; recoveryCodes: number }> {
  const [authenticators, recoveryCodes] = await Promise.all([
    dataSource
      .getRepository(AuthenticatorEntity)
      .createQueryBuilder("a")
      .where("a.sealedSecret LIKE :start", { start: `${keyId}:%` })
      .getCount(),
    dataSource.getRepository(RecoveryCodeEntity).countBy({ keyId, usedAt: IsNull() }),
  ]);
  return { authenticators, recoveryCodes };
}
