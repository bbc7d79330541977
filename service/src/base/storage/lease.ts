/**
 * Claims on rows that one instance at a time works on. They lapse by the database's own clock, which all instances share and nobody
 * moves; one that would hold longer than its kind does is nobody's of ours, and is not honoured.
 */
import type { DataSource, EntityManager } from "typeorm";

/** Until when a claim holds that is made now; takes its seconds. */
export const HOLDS_UNTIL = "UTC_TIMESTAMP(3) + INTERVAL ? SECOND";

/** Whether a row is free; takes the seconds of such a claim. */
export const IS_FREE = `(claimedUntil IS NULL OR claimedUntil <= UTC_TIMESTAMP(3) OR claimedUntil > ${HOLDS_UNTIL})`;

/** A row that can be claimed, and for how many seconds unless the claim is renewed: whoever made it may have died. */
export interface Leased {
  readonly table: "journal_chain" | "intake";
  readonly id: string | number;
  readonly seconds: number;
}

/** Claims a row, or holds it for longer. @param claim unique to the work. @returns whether the row is claimed by it. */
export async function takeLease(
  database: Pick<DataSource | EntityManager, "query">,
  { table, id, seconds }: Leased,
  claim: string,
): Promise<boolean> {
  const { affectedRows } = await database.query<{ affectedRows: number }>(
    `UPDATE ${table} SET claim = ?, claimedUntil = ${HOLDS_UNTIL} WHERE id = ? AND (claim = ? OR ${IS_FREE})`,
    [claim, seconds, id, claim, seconds],
  );
  return affectedRows === 1;
}

/** Lets another instance have it at once. */
export async function giveLeaseBack(
  database: Pick<DataSource | EntityManager, "query">,
  { table, id }: Omit<Leased, "seconds">,
  claim: string,
): Promise<void> {
  await database.query(`UPDATE ${table} SET claim = NULL, claimedUntil = NULL WHERE id = ? AND claim = ?`, [
    id,
    claim,
  ]);
}
