import { EntitySchema } from "typeorm";
import type { QueuedRow } from "./queued.ts";
import { QUEUED_COLUMNS } from "./queued.ts";

/** A mailed link that somebody asked for, and that is still to be made. The same row is written whoever was named. */
export interface AskedMailRow extends QueuedRow {
  createdAt: Date;
  /** What was asked for, by whom and where. */
  sealed: string;
}

export const AskedMailEntity = new EntitySchema<AskedMailRow>({
  name: "asked_mail",
  columns: {
    id: { type: "uuid", primary: true },
    createdAt: { type: "datetime", precision: 3 },
    sealed: { type: "text", charset: "ascii", collation: "ascii_bin" },
    ...QUEUED_COLUMNS,
  },
  indices: [
    { name: "asked_mail_due", columns: ["state", "nextTryAt"] },
    { name: "asked_mail_claim", columns: ["claim"] },
  ],
});
