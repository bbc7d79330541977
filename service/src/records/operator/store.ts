import { OPERATOR_LABEL } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import { In } from "typeorm";
import type { AccountRow } from "../../base/storage/index.ts";
import { AccountEntity } from "../../base/storage/index.ts";

/** The accounts that carry the label. */
export function listOperators(manager: EntityManager): Promise<AccountRow[]> {
  return manager
    .getRepository(AccountEntity)
    .createQueryBuilder("account")
    .where("JSON_CONTAINS(account.labels, :label)", { label: JSON.stringify(OPERATOR_LABEL) })
    .orderBy("account.id", "ASC")
    .getMany();
}

/**
 * Holds them as they are until the transaction ends, the first one first: whoever tells them something in the transaction and whoever locks
 * them all wait for each other here, and nowhere else.
 */
export async function holdOperators(manager: EntityManager): Promise<void> {
  const ids = (await listOperators(manager)).map(({ id }) => id);
  await manager.getRepository(AccountEntity).find({
    select: { id: true },
    where: { id: In(ids) },
    order: { id: "ASC" },
    lock: { mode: "pessimistic_read" },
  });
}

/** The same as they are now, locked against changes; found first without a lock, so that no other account is held up. */
export async function lockOperators(manager: EntityManager): Promise<AccountRow[]> {
  const ids = (await listOperators(manager)).map(({ id }) => id);
  const rows = await manager
    .getRepository(AccountEntity)
    .find({ where: { id: In(ids) }, order: { id: "ASC" }, lock: { mode: "pessimistic_write" } });
  return rows.filter(({ labels }) => labels.includes(OPERATOR_LABEL));
}
