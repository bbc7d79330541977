import type { HashedToken } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { IsNull, LessThan, MoreThan } from "typeorm";
import type { SignInRow } from "../storage/index.ts";
import { SignInEntity } from "../storage/index.ts";

export async function insertSignIn(manager: EntityManager, row: SignInRow): Promise<void> {
  await manager.getRepository(SignInEntity).insert(row);
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

/** Ends all of an account: what was proved before no longer counts. */
export async function endSignInsOf(manager: EntityManager, accountId: string, now: Date): Promise<void> {
  await manager.getRepository(SignInEntity).update({ accountId, endedAt: IsNull() }, { endedAt: now });
}

/** Forgets those that expired before a time. */
export async function sweepSignIns(dataSource: DataSource, before: Date): Promise<void> {
  await dataSource.getRepository(SignInEntity).delete({ expiresAt: LessThan(before) });
}
