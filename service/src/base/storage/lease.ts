/**
 * Claims on rows that one instance at a time works on. They lapse by the database's own clock, which all instances share and nobody
 * moves. Where working on a row twice at the worst costs time, a claim that would hold longer than its kind does is nobody's of ours, and
 * is not honoured; what is sent must not be sent twice, so a queue waits for it.
 */
import type { DataSource, EntityManager } from "typeorm";

/** Until when a claim holds that is made now; takes its seconds. */
export const HOLDS_UNTIL = "UTC_TIMESTAMP(3) + INTERVAL ? SECOND";

/** Whether no claim on a row holds any more. */
export const HAS_LAPSED = "(claimedUntil IS NULL OR claimedUntil <= UTC_TIMESTAMP(3))";

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
    `UPDATE ${table} SET claim = ?, claimedUntil = ${HOLDS_UNTIL} 
      WHERE id = ? AND (claim = ? OR ${HAS_LAPSED} OR claimedUntil > ${HOLDS_UNTIL})`,
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
