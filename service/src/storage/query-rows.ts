/** Rows as plain lists of values, for the few questions whose cost is felt. */
import type { Pool, QueryError, RowDataPacket } from "mysql2";
import type { DataSource } from "typeorm";

/** Asks the driver itself: no object is made for a row, and no name is read for a column. */
export function queryRows(
  { driver }: DataSource,
  sql: string,
  values: readonly unknown[],
): Promise<ReadonlyArray<readonly unknown[]>> {
  const { pool } = driver as unknown as { pool: Pool };
  return new Promise((resolve, reject) => {
    const options = { sql, values: [...values], rowsAsArray: true };
    pool.query<RowDataPacket[][]>(options, (error: QueryError | null, rows) => {
      if (error === null) resolve(rows as unknown as unknown[][]);
      else reject(error);
    });
  });
}
