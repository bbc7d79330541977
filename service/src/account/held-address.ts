/**
 * Former addresses. Whoever had a proved address changed away keeps it from others for as long as the change can be undone:
 * otherwise whoever took the account would only have to register the freed address.
 */
import type { DataSource, EntityManager } from "typeorm";
import { MoreThan, Not } from "typeorm";
import { HeldAddressEntity, sweepRows } from "../storage/index.ts";

/** Stands for the unique key of addresses: whoever meets it answers as for any taken one. */
class AddressHeld extends Error {
  override readonly name = "AddressHeld";
  readonly code = "ER_DUP_ENTRY";
  constructor() {
    super("the address is held for an account that had it: duplicate for key 'account_email'");
  }
}

/** Holds it for an account. */
export async function holdAddress(
  manager: EntityManager,
  held: { emailKey: string; accountId: string; heldUntil: Date },
): Promise<void> {
  await manager.getRepository(HeldAddressEntity).upsert(held, ["emailKey"]);
}

/** Lets go of it: its owner has it again. */
export async function releaseAddress(manager: EntityManager, emailKey: string): Promise<void> {
  await manager.getRepository(HeldAddressEntity).delete({ emailKey });
}

interface Wanted {
  readonly emailKey: string;
  /** Who wants it; `null`: an account that is not there yet. */
  readonly accountId: string | null;
  readonly now: Date;
}

const heldFrom = ({ emailKey, accountId, now }: Wanted) => ({
  emailKey,
  heldUntil: MoreThan(now),
  ...(accountId === null ? {} : { accountId: Not(accountId) }),
});

/** Whether it is held for somebody else. */
export function isHeldFrom(dataSource: DataSource, wanted: Wanted): Promise<boolean> {
  return dataSource.getRepository(HeldAddressEntity).existsBy(heldFrom(wanted));
}

/** Whether it is held for this account. */
export function isHeldFor(
  manager: EntityManager,
  { emailKey, accountId, now }: { emailKey: string; accountId: string; now: Date },
): Promise<boolean> {
  return manager.getRepository(HeldAddressEntity).existsBy({ emailKey, accountId, heldUntil: MoreThan(now) });
}

/**
 * Asserts that an address that was just written may stay. Asked afterwards and under a lock: whoever waited for the address
 * to become free sees what was decided when it did.
 * @throws an error like that of a duplicate address; the transaction goes back.
 */
export async function assertNotHeld(
  manager: EntityManager,
  { emailKey, ...wanted }: Omit<Wanted, "emailKey"> & { readonly emailKey: string | null },
): Promise<void> {
  if (emailKey === null) return;
  const held = await manager
    .getRepository(HeldAddressEntity)
    .findOne({ where: heldFrom({ ...wanted, emailKey }), lock: { mode: "pessimistic_read" } });
  if (held !== null) throw new AddressHeld();
}

/** Forgets those that are held no longer. */
export async function sweepHeldAddresses(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "held_address WHERE heldUntil < ?", [before]);
}
