import type { JournalKind, JournalOutcome } from "@lucchetto/core";
import { EntitySchema } from "typeorm";

/** A record of the append-only journal of security events. It never holds a secret. */
export interface JournalEntryRow {
  id: string;
  at: Date;
  kind: JournalKind;
  outcome: JournalOutcome;
  reason: string | null;
  accountId: string | null;
  actorId: string | null;
  appId: string | null;
  sessionId: string | null;
  network: string | null;
  requestId: string | null;
}

/** With its link of the chain, which it gets some moments after it was written; lists do not read it. */
export interface LinkedEntryRow extends JournalEntryRow {
  /** From 1; the driver gives large numbers as text. */
  position: string | null;
  digest: Buffer | null;
  seal: string | null;
}

export const JournalEntryEntity = new EntitySchema<LinkedEntryRow>({
  name: "journal_entry",
  columns: {
    id: { type: "uuid", primary: true },
    at: { type: "datetime", precision: 3 },
    kind: { type: "varchar", length: 60, charset: "ascii", collation: "ascii_bin" },
    outcome: { type: "varchar", length: 12 },
    reason: { type: "varchar", length: 200, nullable: true },
    accountId: { type: "uuid", nullable: true },
    actorId: { type: "uuid", nullable: true },
    appId: { type: "uuid", nullable: true },
    sessionId: { type: "uuid", nullable: true },
    network: { type: "varchar", length: 49, nullable: true },
    requestId: { type: "varchar", length: 60, nullable: true },
    position: { type: "bigint", nullable: true, select: false },
    digest: { type: "binary", length: 32, nullable: true, select: false },
    seal: {
      type: "varchar",
      length: 80,
      charset: "ascii",
      collation: "ascii_bin",
      nullable: true,
      select: false,
    },
  },
  indices: [
    { name: "journal_entry_of_account", columns: ["accountId", "id"] },
    { name: "journal_entry_of_request", columns: ["requestId"] },
    { name: "journal_entry_position", columns: ["position"] },
  ],
});
