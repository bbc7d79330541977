/** Refused rows: written into a file without their secrets, mended there by a person, and taken with the secrets of the source. */
import { createReadStream } from "node:fs";
import { setImmediate as breath } from "node:timers/promises";
import { parse } from "csv-parse";
import { stringify } from "csv-stringify/sync";
import type { IntakeRefusalRow } from "../../base/storage/index.ts";
import type { Plan } from "./plan.ts";
import { PlanError } from "./plan.ts";
import type { ReadSoFar, SourceRow } from "./source-row.ts";
import { readRows } from "./source.ts";

/** The columns that say where a row stands in the source, and what was wrong with it. */
const LINE = "line in the source";
const FAULT = "why it was refused";

/** Rows that are mended by hand, at most. */
const MAX_MENDED_ROWS = 100_000;

/** What a spreadsheet would compute, and an apostrophe before it. */
const FORMULA = /^'*[=+\-@\t\r\uff1d\uff0b\uff0d\uff20]/;
const DEFUSED = /^'+[=+\-@\t\r\uff1d\uff0b\uff0d\uff20]/;

/** Somebody opens the file in a spreadsheet: strangers' text is text there, too. */
export const defuse = (value: string): string => (FORMULA.test(value) ? `'${value}` : value);
/** A value as it was before `defuse`. */
export const undefuse = (value: string): string => (DEFUSED.test(value) ? value.slice(1) : value);

/** Refused rows as CSV. @param withHead the first ones of a file. */
export function writeRefusals(
  rows: readonly IntakeRefusalRow[],
  columns: readonly string[],
  withHead: boolean,
): string {
  const lines = rows.map(({ line, member, reason, values }) => [
    line,
    `${member}: ${reason}`,
    ...columns.map((column) => defuse(values[column] ?? "")),
  ]);
  return stringify(withHead ? [[LINE, FAULT, ...columns.map(defuse)], ...lines] : lines);
}

/** Reads such a file. @throws PlanError. */
export async function readMended(path: string): Promise<NonNullable<Plan["mended"]>> {
  const mended = new Map<number, ReadonlyMap<string, string>>();
  try {
    const records = createReadStream(path).pipe(parse({ columns: true, bom: true })) as AsyncIterable<
      Record<string, string>
    >;
    for await (const record of records) {
      const { [LINE]: line = "", [FAULT]: _fault, ...values } = record;
      if (!/^\d+$/.test(line)) throw new PlanError(`${path}: a row has no number in "${LINE}".`);
      const asWritten = Object.entries(values).map(
        ([column, value]) => [undefuse(column), undefuse(value)] as const,
      );
      mended.set(Number(line), new Map(asWritten));
      if (mended.size > MAX_MENDED_ROWS) throw new PlanError(`${path}: more than ${MAX_MENDED_ROWS} rows.`);
    }
  } catch (error) {
    if (error instanceof PlanError) throw error;
    throw new PlanError(`${path} cannot be read: ${(error as Error).message}`, { cause: error });
  }
  return mended;
}

/** Rows between two breaths: rows that are read already would come one after the other, and nothing else would be done. */
const BREATH = 64;

/** The rows of a plan's source; of one that is mended those alone, as they are now. */
export async function* rowsOf(
  { source, mended }: Plan,
  soFar: Partial<ReadSoFar>,
): AsyncGenerator<SourceRow> {
  let read = 0;
  for await (const row of readRows(source, soFar)) {
    read += 1;
    if (read % BREATH === 0) await breath();
    const values = mended?.get(row.line);
    if (mended === undefined) yield row;
    else if (values !== undefined)
      yield "fault" in row ? row : { line: row.line, values: new Map([...row.values, ...values]) };
  }
}
