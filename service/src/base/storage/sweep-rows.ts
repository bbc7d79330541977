/** Removing old rows: a batch at a time, so that locks are short and nobody waits behind a large one. */
import type { DataSource } from "typeorm";

/** Rows in one statement, and statements in one round: the rest goes the next time. */
const BATCH = 200;
const MAX_BATCHES = 250;

/**
 * @param which table and condition, along an index: `mail_link WHERE expiresAt < ?`.
 * @returns how many were removed.
 */
export async function sweepRows(
  dataSource: DataSource,
  which: string,
  parameters: readonly unknown[],
): Promise<number> {
  let removed = 0;
  for (let batch = 0; batch < MAX_BATCHES; batch += 1) {
    const { affectedRows } = await dataSource.query<{ affectedRows: number }>(
      `DELETE FROM ${which} LIMIT ${BATCH}`,
      [...parameters],
    );
    removed += affectedRows;
    if (affectedRows < BATCH) break;
  }
  return removed;
}
