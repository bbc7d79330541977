/**
 * Word between what puts a row into a queue and what sends it, within one process: so nobody waits for the next look. Other processes,
 * and rows that were committed late, are met by that look.
 */
import type { DataSource, EntityManager, EntitySchema } from "typeorm";

/** Milliseconds in which the row's transaction is likely to be committed, and the reply on its way before the sending begins. */
const COMMITTED_AFTER = 30;

/** What sends, by the database and the table that it looks into. */
const senders = new WeakMap<DataSource, Map<EntitySchema<never>, Set<() => void>>>();

function sendersOf(dataSource: DataSource, entity: EntitySchema<never>): Set<() => void> {
  const ofDatabase = senders.get(dataSource) ?? new Map<EntitySchema<never>, Set<() => void>>();
  senders.set(dataSource, ofDatabase);
  const ofTable = ofDatabase.get(entity) ?? new Set();
  ofDatabase.set(entity, ofTable);
  return ofTable;
}

/** @param wake is called some moments after rows were put in, once for all of a moment. @returns what ends it. */
export function onQueued<Row>(
  dataSource: DataSource,
  entity: EntitySchema<Row>,
  wake: () => void,
): () => void {
  let timer: NodeJS.Timeout | undefined;
  const hear = (): void => {
    timer ??= setTimeout(() => {
      timer = undefined;
      wake();
    }, COMMITTED_AFTER).unref();
  };
  const all = sendersOf(dataSource, entity as EntitySchema<never>);
  all.add(hear);
  return () => {
    all.delete(hear);
    clearTimeout(timer);
  };
}

/** Says that a row was put into the table, by a transaction that may not be committed yet. */
export function noteQueued<Row>(
  { dataSource }: Pick<EntityManager, "dataSource">,
  entity: EntitySchema<Row>,
): void {
  for (const hear of sendersOf(dataSource, entity as EntitySchema<never>)) hear();
}
