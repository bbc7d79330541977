/** What a row has that waits to be sent, whatever it is. */
export interface QueuedRow {
  id: string;
  /** `waiting`: it is tried from `nextTryAt` on. */
  state: string;
  tries: number;
  nextTryAt: Date | null;
  /** Of the one instance that sends it, until `claimedUntil` by the database's own clock. */
  claim: string | null;
  claimedUntil: Date | null;
  lastTryAt: Date | null;
  /** What the receiver said last, or why nobody was asked. */
  lastAnswer: string | null;
}

/** Its columns, but for the id. */
export const QUEUED_COLUMNS = {
  state: { type: "varchar", length: 12, charset: "ascii", collation: "ascii_bin" },
  tries: { type: "int", default: 0 },
  nextTryAt: { type: "datetime", precision: 3, nullable: true },
  claim: { type: "uuid", nullable: true },
  claimedUntil: { type: "datetime", precision: 3, nullable: true },
  lastTryAt: { type: "datetime", precision: 3, nullable: true },
  lastAnswer: { type: "varchar", length: 190, nullable: true },
} as const;
