import type { ClockDrift, Grounds } from "@lucchetto/core";
import { MAX_AUTHENTICATORS, provedSinceOf } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { In, IsNull, Not } from "typeorm";
import type { AuthenticatorRow, Granted, PasskeyRow, RecoveryCodeRow } from "../../base/storage/index.ts";
import {
  AuthenticatorEntity,
  PasskeyEntity,
  RecoveryCodeEntity,
  sweepRows,
} from "../../base/storage/index.ts";
import { deletePasskeysOf, hasPasskey, removePasskeysOf, restorePasskeys } from "../passkey/store.ts";

const CONFIRMED = { activatedAt: Not(IsNull()), removedAt: IsNull() };
/** One that was imported, or made on the service's own machine, has spent none yet. */
const NOT_SPENT = "COALESCE(lastStep, -1) < :step";
const UNUSED = { usedAt: IsNull(), removedAt: IsNull() };

/** Whether there is a confirmed authenticator. */
export function hasAuthenticator(manager: EntityManager, accountId: string): Promise<boolean> {
  return manager.getRepository(AuthenticatorEntity).existsBy({ accountId, ...CONFIRMED });
}

/** The confirmed ones of an account, the first one first. */
export function listConfirmed(manager: EntityManager, accountId: string): Promise<AuthenticatorRow[]> {
  return manager.getRepository(AuthenticatorEntity).find({
    where: { accountId, ...CONFIRMED },
    order: { id: "ASC" },
    take: MAX_AUTHENTICATORS,
  });
}

export function findAuthenticator(
  manager: EntityManager,
  own: Pick<AuthenticatorRow, "id" | "accountId">,
): Promise<AuthenticatorRow | null> {
  return manager.getRepository(AuthenticatorEntity).findOneBy({ id: own.id, accountId: own.accountId });
}

export async function insertAuthenticator(manager: Granted, row: AuthenticatorRow): Promise<void> {
  await manager.getRepository(AuthenticatorEntity).insert({ ...row });
}

/** Confirms one by the step of its first code. @returns whether it was this call that did. */
export async function activate(
  manager: Granted,
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
 * @param clock what is remembered of the app's clock now. @param sealedAnew the secret under the present key; `null`: it is already.
 * @returns whether it was this call that spent it.
 */
export async function spendStep(
  manager: EntityManager,
  id: string,
  { step, clock, now, sealedAnew }: { step: number; clock: ClockDrift; now: Date; sealedAnew: string | null },
): Promise<boolean> {
  const changed = {
    ...clock,
    lastStep: step,
    lastUsedAt: now,
    ...(sealedAnew === null ? {} : { sealedSecret: sealedAnew }),
  };
  const { affected } = await manager
    .getRepository(AuthenticatorEntity)
    .createQueryBuilder()
    .update()
    .set(changed)
    .where({ id, ...CONFIRMED })
    .andWhere(NOT_SPENT, { step })
    .execute();
  return affected === 1;
}

/** @returns whether it was there. */
export async function rename(
  manager: Granted,
  own: Pick<AuthenticatorRow, "id" | "accountId">,
  name: string,
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(AuthenticatorEntity)
    .update({ id: own.id, accountId: own.accountId, ...CONFIRMED }, { name });
  return affected === 1;
}

/** Removes one; it is kept, unusable, so that it can come back. @returns whether it was there. */
export async function removeAuthenticator(
  manager: Granted,
  own: Pick<AuthenticatorRow, "id" | "accountId">,
  now: Date,
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(AuthenticatorEntity)
    .update({ id: own.id, accountId: own.accountId, ...CONFIRMED }, { removedAt: now });
  return affected === 1;
}

/** Whether one of an account's is to be renewed. */
export function hasShortSecret(manager: EntityManager, accountId: string): Promise<boolean> {
  return manager.getRepository(AuthenticatorEntity).existsBy({ accountId, isShort: true, ...CONFIRMED });
}

/** Removes those that were to be renewed. */
export async function removeShortSecrets(manager: Granted, accountId: string, now: Date): Promise<void> {
  await manager
    .getRepository(AuthenticatorEntity)
    .update({ accountId, isShort: true, ...CONFIRMED }, { removedAt: now });
}

/** Whether an account has a second factor that counts; recovery codes alone are none. */
export async function hasSecondFactor(manager: EntityManager, accountId: string): Promise<boolean> {
  return (await hasAuthenticator(manager, accountId)) || (await hasPasskey(manager, accountId));
}

/** Removes every second factor of an account; they are kept, unusable. @returns whether there was one. */
export async function removeSecondFactorsOf(
  manager: Granted,
  accountId: string,
  now: Date,
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(AuthenticatorEntity)
    .update({ accountId, ...CONFIRMED }, { removedAt: now });
  const passkeys = await removePasskeysOf(manager, accountId, now);
  await removeCodes(manager, accountId, now);
  return (affected ?? 0) + passkeys > 0;
}

/** What an account has and had, as far as it is kept: the authenticators that ever counted. */
export function listEverConfirmed(manager: EntityManager, accountId: string): Promise<AuthenticatorRow[]> {
  return manager.getRepository(AuthenticatorEntity).find({
    where: { accountId, activatedAt: Not(IsNull()) },
    order: { id: "ASC" },
  });
}

/** All recovery codes of an account, used or not, as far as they are kept. */
export function listAllCodes(manager: EntityManager, accountId: string): Promise<RecoveryCodeRow[]> {
  return manager.getRepository(RecoveryCodeEntity).findBy({ accountId });
}

/** Spends a step of an authenticator that may be removed by now. @returns whether it was this call that spent it. */
export async function spendKeptStep(
  manager: EntityManager,
  id: string,
  { step, now }: { step: number; now: Date },
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(AuthenticatorEntity)
    .createQueryBuilder()
    .update()
    .set({ lastStep: step, lastUsedAt: now })
    .where({ id })
    .andWhere(NOT_SPENT, { step })
    .execute();
  return affected === 1;
}

/** Spends a code that may be replaced by now. @returns whether it was this call that spent it. */
export async function spendKeptCode(
  manager: EntityManager,
  { accountId, codeHash }: Pick<RecoveryCodeRow, "accountId" | "codeHash">,
  now: Date,
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(RecoveryCodeEntity)
    .update({ accountId, codeHash, usedAt: IsNull() }, { usedAt: now });
  return affected === 1;
}

/** Factors of an account, by what they are kept under. */
interface SomeFactors {
  readonly authenticators: ReadonlyArray<Pick<AuthenticatorRow, "id">>;
  readonly passkeys: ReadonlyArray<Pick<PasskeyRow, "id">>;
  readonly codes: ReadonlyArray<Pick<RecoveryCodeRow, "codeHash">>;
}

/** Puts an account's factors back: some come back, some go for good, and all others stay as they are. */
export async function restoreFactors(
  manager: Granted,
  accountId: string,
  { back, gone }: { back: SomeFactors; gone: SomeFactors },
): Promise<void> {
  const authenticators = manager.getRepository(AuthenticatorEntity);
  const idsOf = (rows: ReadonlyArray<{ readonly id: string }>) => rows.map(({ id }) => id);
  await deleteAuthenticatorsOf(manager, accountId, idsOf(gone.authenticators));
  await authenticators.update({ accountId, id: In(idsOf(back.authenticators)) }, { removedAt: null });
  await deletePasskeysOf(manager, accountId, idsOf(gone.passkeys));
  await restorePasskeys(manager, accountId, idsOf(back.passkeys));
  const codes = manager.getRepository(RecoveryCodeEntity);
  const hashesOf = (rows: SomeFactors["codes"]) => In(rows.map(({ codeHash }) => codeHash));
  await codes.delete({ accountId, codeHash: hashesOf(gone.codes) });
  await codes.update({ accountId, codeHash: hashesOf(back.codes) }, { removedAt: null });
}

/** Forgets what was removed or replaced before a time. */
export async function sweepRemoved(dataSource: DataSource, before: Date): Promise<void> {
  for (const table of ["authenticator", "passkey", "recovery_code"])
    await sweepRows(dataSource, `${table} WHERE removedAt < ?`, [before]);
}

/** Forgets enrolments of an account that were not confirmed. */
export async function deleteUnconfirmed(manager: Granted, accountId: string): Promise<void> {
  await manager.getRepository(AuthenticatorEntity).delete({ accountId, activatedAt: IsNull() });
}

/** Forgets enrolments that lapsed before a time. */
export async function sweepEnrolments(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "authenticator WHERE activatedAt IS NULL AND expiresAt <= ?", [before]);
}

/** Deletes authenticators of an account, and enrolments that were not confirmed. */
export async function deleteAuthenticatorsOf(
  manager: Granted,
  accountId: string,
  ids: readonly string[],
): Promise<void> {
  await deleteUnconfirmed(manager, accountId);
  await manager.getRepository(AuthenticatorEntity).delete({ accountId, id: In([...ids]) });
}

/** Deletes all recovery codes of an account. */
export async function deleteCodesOf(manager: Granted, accountId: string): Promise<void> {
  await manager.getRepository(RecoveryCodeEntity).delete({ accountId });
}

/** The recovery codes of an account's present set, used or not. */
export function listLivingCodes(manager: EntityManager, accountId: string): Promise<RecoveryCodeRow[]> {
  return manager.getRepository(RecoveryCodeEntity).findBy({ accountId, removedAt: IsNull() });
}

/** Puts a set in the place of whatever there was, which is kept, unusable. */
export async function replaceCodes(
  manager: Granted,
  accountId: string,
  { rows, now }: { rows: readonly RecoveryCodeRow[]; now: Date },
): Promise<void> {
  await removeCodes(manager, accountId, now);
  await manager.getRepository(RecoveryCodeEntity).insert(rows.map((row) => ({ ...row })));
}

/** Takes all codes out of use; they are kept. */
export async function removeCodes(manager: Granted, accountId: string, now: Date): Promise<void> {
  await manager
    .getRepository(RecoveryCodeEntity)
    .update({ accountId, removedAt: IsNull() }, { removedAt: now });
}

export function countUnusedCodes(manager: EntityManager, accountId: string): Promise<number> {
  return manager.getRepository(RecoveryCodeEntity).countBy({ accountId, ...UNUSED });
}

/** The unused code of the account that has one of these hashes. */
export function findUnusedCode(
  manager: EntityManager,
  accountId: string,
  hashes: readonly Buffer[],
): Promise<RecoveryCodeRow | null> {
  return manager.getRepository(RecoveryCodeEntity).findOneBy({ accountId, codeHash: In(hashes), ...UNUSED });
}

/** Notes since when what was shown counts for whatever came at this moment. */
export async function noteGrounds(
  manager: EntityManager,
  accountId: string,
  { at, grounds }: { at: Date; grounds: Grounds },
): Promise<void> {
  const provedSince = provedSinceOf(at, grounds);
  await manager.getRepository(AuthenticatorEntity).update({ accountId, activatedAt: at }, { provedSince });
  await manager.getRepository(PasskeyEntity).update({ accountId, createdAt: at }, { provedSince });
  await manager.getRepository(RecoveryCodeEntity).update({ accountId, createdAt: at }, { provedSince });
}

/** Spends a code. @returns whether it was this call that spent it. */
export async function spendCode(
  manager: EntityManager,
  accountId: string,
  { hashes, now }: { hashes: readonly Buffer[]; now: Date },
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(RecoveryCodeEntity)
    .update({ accountId, codeHash: In(hashes), ...UNUSED }, { usedAt: now });
  return affected === 1;
}

/** Authenticators whose secret is sealed under another key than this one, in the order of their ids. */
export function listSealedOtherwise(
  dataSource: DataSource,
  { keyId, after, most }: { keyId: string; after: string; most: number },
): Promise<AuthenticatorRow[]> {
  const query = dataSource
    .getRepository(AuthenticatorEntity)
    .createQueryBuilder("a")
    .where("a.sealedSecret NOT LIKE :start", { start: `${keyId}:%` })
    .orderBy("a.id")
    .take(most);
  return (after === "" ? query : query.andWhere("a.id > :after", { after })).getMany();
}

/** Puts a secret sealed anew in the place of exactly the one that was read. @returns whether it did. */
export async function replaceSealed(
  dataSource: DataSource,
  { id, sealedSecret: from }: Pick<AuthenticatorRow, "id" | "sealedSecret">,
  to: string,
): Promise<boolean> {
  const { affected } = await dataSource
    .getRepository(AuthenticatorEntity)
    .update({ id, sealedSecret: from }, { sealedSecret: to });
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
