import type { SessionKind } from "@lucchetto/core";
import { EntitySchema } from "typeorm";

/** A server-side session. `tokenHash` is the SHA-256 of its own token; ended ones are kept as history. */
export interface SessionRow {
  id: string;
  tokenHash: Buffer;
  accountId: string;
  kind: SessionKind;
  aal: 1 | 2;
  amr: string[];
  authTime: Date;
  createdAt: Date;
  lastSeenAt: Date;
  idleEndsAt: Date;
  endsAt: Date;
  endedAt: Date | null;
  endReason: string | null;
  userAgent: string | null;
  network: string | null;
  /** The app with forms of its own in which it was begun; its own token counts only beside that app's key. */
  appId: string | null;
  /** Level 2 is over when nothing was asked until then … */
  levelIdleEndsAt: Date | null;
  /** … and then in any case; both are empty at level 1. */
  levelEndsAt: Date | null;
  /** A first proof was shown again then; a second one is still wanted. */
  firstProofAt: Date | null;
  /** Since when the oldest of what was shown counts; `null`: nothing but a mailbox. */
  provedSince: Date | null;
  /** Since when a browser or a factor among it stands itself. */
  standsSince: Date | null;
}

/** What a session is, without what only its own changes need to know. */
export type SessionFacts = Omit<SessionRow, "provedSince" | "standsSince">;

export const SessionEntity = new EntitySchema<SessionRow>({
  name: "session",
  columns: {
    id: { type: "uuid", primary: true },
    tokenHash: { type: "binary", length: 32 },
    accountId: { type: "uuid" },
    kind: { type: "varchar", length: 12 },
    aal: { type: "tinyint" },
    amr: { type: "json" },
    authTime: { type: "datetime", precision: 3 },
    createdAt: { type: "datetime", precision: 3 },
    lastSeenAt: { type: "datetime", precision: 3 },
    idleEndsAt: { type: "datetime", precision: 3 },
    endsAt: { type: "datetime", precision: 3 },
    endedAt: { type: "datetime", precision: 3, nullable: true },
    endReason: { type: "varchar", length: 40, nullable: true },
    userAgent: { type: "varchar", length: 300, nullable: true },
    network: { type: "varchar", length: 49, nullable: true },
    appId: { type: "uuid", nullable: true },
    levelIdleEndsAt: { type: "datetime", precision: 3, nullable: true },
    levelEndsAt: { type: "datetime", precision: 3, nullable: true },
    firstProofAt: { type: "datetime", precision: 3, nullable: true },
    provedSince: { type: "datetime", precision: 3, nullable: true },
    standsSince: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [
    { name: "session_token", columns: ["tokenHash"], unique: true },
    { name: "session_of_account", columns: ["accountId", "id"] },
    { name: "session_ended", columns: ["endedAt"] },
    { name: "session_ends", columns: ["endsAt"] },
  ],
  foreignKeys: [
    {
      name: "session_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
