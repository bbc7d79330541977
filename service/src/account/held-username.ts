/**
 * Former usernames. Whoever changed theirs away keeps it from others for as long as the change can be undone: applications may know people
 * by it.
 */
import type { DataSource, EntityManager } from "typeorm";
import { MoreThan, Not } from "typeorm";
import { HeldUsernameEntity, sweepRows } from "../storage/index.ts";

/** Stands for the unique key of usernames: whoever meets it answers as for any taken one. */
class UsernameHeld extends Error {
  override readonly name = "UsernameHeld";
  readonly code = "ER_DUP_ENTRY";
  constructor() {
    super("the username is held for an account that had it: duplicate for key 'account_username'");
  }
}

/** Holds it for an account. */
export async function holdUsername(
  manager: EntityManager,
  held: { usernameKey: string; accountId: string; heldUntil: Date },
): Promise<void> {
  await manager.getRepository(HeldUsernameEntity).upsert(held, ["usernameKey"]);
}

/** Lets go of it: its owner has it again. */
export async function releaseUsername(manager: EntityManager, usernameKey: string): Promise<void> {
  await manager.getRepository(HeldUsernameEntity).delete({ usernameKey });
}

/** Whether it is held for this account. */
export function isUsernameHeldFor(
  manager: EntityManager,
  { usernameKey, accountId, now }: { usernameKey: string; accountId: string; now: Date },
): Promise<boolean> {
  return manager
    .getRepository(HeldUsernameEntity)
    .existsBy({ usernameKey, accountId, heldUntil: MoreThan(now) });
}

/** Whether it is held for somebody. */
export function isUsernameHeld(
  dataSource: DataSource,
  { usernameKey, now }: { usernameKey: string; now: Date },
): Promise<boolean> {
  return dataSource.getRepository(HeldUsernameEntity).existsBy({ usernameKey, heldUntil: MoreThan(now) });
}

/**
 * Asserts that a username that was just written may stay. Asked afterwards and under a lock, as for addresses.
 * @throws an error like that of a duplicate username; the transaction goes back.
 */
export async function assertUsernameNotHeld(
  manager: EntityManager,
  { usernameKey, accountId, now }: { usernameKey: string | null; accountId: string; now: Date },
): Promise<void> {
  if (usernameKey === null) return;
  const held = await manager.getRepository(HeldUsernameEntity).findOne({
    where: { usernameKey, accountId: Not(accountId), heldUntil: MoreThan(now) },
    lock: { mode: "pessimistic_read" },
  });
  if (held !== null) throw new UsernameHeld();
}

/** Forgets those that are held no longer. */
export async function sweepHeldUsernames(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "held_username WHERE heldUntil < ?", [before]);
}
