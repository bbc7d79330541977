import { EntitySchema } from "typeorm";

/** By how much the clock was moved, in development mode. One row at most. */
export interface MovedClockRow {
  id: 1;
  milliseconds: string;
}

export const MovedClockEntity = new EntitySchema<MovedClockRow>({
  name: "moved_clock",
  columns: {
    id: { type: "tinyint", primary: true },
    milliseconds: { type: "bigint" },
  },
});
