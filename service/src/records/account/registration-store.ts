import type { DataSource, EntityManager } from "typeorm";
import { MoreThan } from "typeorm";
import type { RegistrationRow } from "../../base/storage/index.ts";
import { RegistrationEntity, sweepRows } from "../../base/storage/index.ts";

export async function insertRegistration(manager: EntityManager, row: RegistrationRow): Promise<void> {
  // A copy: the given object would come back with the values as the driver writes them.
  await manager.getRepository(RegistrationEntity).insert({ ...row });
}

export function findRegistration(dataSource: DataSource, id: string): Promise<RegistrationRow | null> {
  return dataSource.getRepository(RegistrationEntity).findOneBy({ id });
}

/** The newest one of an address that this browser made and that still waits. */
export function findRegistrationOfBrowser(
  dataSource: DataSource,
  { emailKey, browserHash, now }: { emailKey: string; browserHash: Buffer; now: Date },
): Promise<RegistrationRow | null> {
  return dataSource.getRepository(RegistrationEntity).findOne({
    where: { emailKey, browserHash, expiresAt: MoreThan(now) },
    order: { id: "DESC" },
  });
}

/** Forgets all that wait for an address: one of them has become an account. */
export async function deleteRegistrationsOf(manager: EntityManager, emailKey: string): Promise<void> {
  await manager.getRepository(RegistrationEntity).delete({ emailKey });
}

/** Forgets those whose link expired before a time. */
export async function sweepRegistrations(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "registration WHERE expiresAt < ?", [before]);
}
