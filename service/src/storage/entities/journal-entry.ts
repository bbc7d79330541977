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

export const JournalEntryEntity = new EntitySchema<JournalEntryRow>({
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
  },
  indices: [
    { name: "journal_entry_of_account", columns: ["accountId", "id"] },
    { name: "journal_entry_of_request", columns: ["requestId"] },
  ],
});
