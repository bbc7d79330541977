/**
 * Former addresses. Whoever had a proved address changed away keeps it from others for as long as the change can be undone:
 * otherwise whoever took the account would only have to register the freed address.
 */
import type { DataSource, EntityManager } from "typeorm";
import { LessThan, MoreThan, Not } from "typeorm";
import { HeldAddressEntity } from "../storage/index.ts";

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

/** Whether it is held for somebody else. @param accountId who wants it; `null`: a new account. */
export function isHeldFrom(
  manager: EntityManager,
  { emailKey, accountId, now }: { emailKey: string; accountId: string | null; now: Date },
): Promise<boolean> {
  const whose = accountId === null ? {} : { accountId: Not(accountId) };
  return manager.getRepository(HeldAddressEntity).existsBy({ emailKey, heldUntil: MoreThan(now), ...whose });
}

/** @throws an error like that of a duplicate address. */
export async function assertNotHeld(
  manager: EntityManager,
  wanted: { emailKey: string | null; accountId: string | null; now: Date },
): Promise<void> {
  const { emailKey } = wanted;
  if (emailKey !== null && (await isHeldFrom(manager, { ...wanted, emailKey }))) throw new AddressHeld();
}

/** Forgets those that are held no longer. */
export async function sweepHeldAddresses(dataSource: DataSource, before: Date): Promise<void> {
  await dataSource.getRepository(HeldAddressEntity).delete({ heldUntil: LessThan(before) });
}
