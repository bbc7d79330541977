import type { HashedToken } from "@lucchetto/core";
import { MOST_WRONG_PROOFS } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { IsNull, LessThan, MoreThan, Not } from "typeorm";
import type { SignInRow } from "../storage/index.ts";
import { SignInEntity, sweepRows } from "../storage/index.ts";

export async function insertSignIn(manager: EntityManager, row: SignInRow): Promise<void> {
  await manager.getRepository(SignInEntity).insert(row);
}

/** One, ended or not. */
export function findSignIn(dataSource: DataSource, id: string): Promise<SignInRow | null> {
  return dataSource.getRepository(SignInEntity).findOneBy({ id });
}

/** Notes whose sign-in it is that was begun for nobody in particular. */
export async function knowSignIn(
  manager: EntityManager,
  id: string,
  whose: { accountId: string } | { registrationId: string },
): Promise<void> {
  await manager
    .getRepository(SignInEntity)
    .update({ id, accountId: IsNull(), registrationId: IsNull() }, whose);
}

/** Keeps the code that its link was swapped for. @returns whether it can still go on. */
export async function setMailCode(
  manager: EntityManager,
  id: string,
  { mailCodeHash, now }: { mailCodeHash: Buffer; now: Date },
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(SignInEntity)
    .update({ id, endedAt: IsNull(), expiresAt: MoreThan(now) }, { mailCodeHash });
  return affected === 1;
}

/** Counts a proof as wrong before it is looked at. @returns whether there was a try left. */
export async function reserveProof(dataSource: DataSource, id: string, now: Date): Promise<boolean> {
  const { affected } = await dataSource
    .getRepository(SignInEntity)
    .createQueryBuilder()
    .update()
    .set({ wrongProofs: () => "wrongProofs + 1" })
    .where({ id, endedAt: IsNull(), expiresAt: MoreThan(now), wrongProofs: LessThan(MOST_WRONG_PROOFS) })
    .execute();
  return affected === 1;
}

/** Notes a first proof, after which more is wanted. @returns whether this call was the one that did. */
export async function advanceSignIn(
  manager: EntityManager,
  id: string,
  { amr, expiresAt, now }: { amr: string[]; expiresAt: Date; now: Date },
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(SignInEntity)
    .createQueryBuilder()
    .update()
    .set({ amr, expiresAt, mailCodeHash: null, wrongProofs: 0 })
    .where({ id, endedAt: IsNull(), expiresAt: MoreThan(now) })
    .andWhere("JSON_LENGTH(amr) = 0")
    .execute();
  return affected === 1;
}

/** Notes a further proof, after which more is wanted. @returns whether this call was the one that did. */
export async function noteFurtherProof(
  manager: EntityManager,
  { id, amr: before }: Pick<SignInRow, "id" | "amr">,
  { amr, expiresAt, now }: { amr: string[]; expiresAt: Date; now: Date },
): Promise<boolean> {
  const { affected } = await manager
    .getRepository(SignInEntity)
    .createQueryBuilder()
    .update()
    .set({ amr, expiresAt, mailCodeHash: null })
    .where({ id, endedAt: IsNull(), expiresAt: MoreThan(now) })
    .andWhere("JSON_LENGTH(amr) = :shown", { shown: before.length })
    .execute();
  return affected === 1;
}

/** The one of this token that can still go on. */
export function findOpenSignIn(
  dataSource: DataSource,
  tokenHash: HashedToken<"sign-in">,
  now: Date,
): Promise<SignInRow | null> {
  return dataSource
    .getRepository(SignInEntity)
    .findOneBy({ tokenHash, endedAt: IsNull(), expiresAt: MoreThan(now) });
}

/** Spends it. @returns whether this call was the one that did. */
export async function spendSignIn(manager: EntityManager, id: string, now: Date): Promise<boolean> {
  const { affected } = await manager
    .getRepository(SignInEntity)
    .update({ id, endedAt: IsNull(), expiresAt: MoreThan(now) }, { endedAt: now });
  return affected === 1;
}

/** Ends all of an account, but perhaps one: what was proved before no longer counts. */
export async function endSignInsOf(
  manager: EntityManager,
  accountId: string,
  now: Date,
  { except }: { except?: string } = {},
): Promise<void> {
  const which = { accountId, endedAt: IsNull(), ...(except === undefined ? {} : { id: Not(except) }) };
  await manager.getRepository(SignInEntity).update(which, { endedAt: now });
}

/** Forgets those that expired before a time. */
export async function sweepSignIns(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "sign_in WHERE expiresAt < ?", [before]);
}
