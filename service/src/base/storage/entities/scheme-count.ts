import { EntitySchema } from "typeorm";

/** How many password records of a scheme there were on a day (UTC, `2026-05-01`). */
export interface SchemeCountRow {
  day: string;
  scheme: string;
  records: number;
}

export const SchemeCountEntity = new EntitySchema<SchemeCountRow>({
  name: "scheme_count",
  columns: {
    day: { type: "date", primary: true },
    scheme: { type: "varchar", length: 190, charset: "ascii", collation: "ascii_bin", primary: true },
    records: { type: "int" },
  },
});
