import type { Language } from "@lucchetto/core";
import { EntitySchema } from "typeorm";
import type { QueuedRow } from "./queued.ts";
import { QUEUED_COLUMNS } from "./queued.ts";

/** A mail. Its body is sealed, since it may carry a secret, and goes when the mail was sent. */
export interface MailRow extends QueuedRow {
  accountId: string | null;
  toAddress: string;
  subject: string;
  sealedBody: string | null;
  /** `waiting` in the outbox; `caught`: kept in the built-in mailbox; `held`: over a limit, sent to nobody. */
  state: "waiting" | "sent" | "given-up" | "caught" | "held";
  createdAt: Date;
  /** Which of the templates it was made from. */
  template: string;
  language: Language;
  heldBecause: string | null;
  /** When what it carries is worth nothing any more. */
  expiresAt: Date | null;
}

export const MailEntity = new EntitySchema<MailRow>({
  name: "mail",
  columns: {
    id: { type: "uuid", primary: true },
    accountId: { type: "uuid", nullable: true },
    toAddress: { type: "varchar", length: 254 },
    subject: { type: "varchar", length: 190 },
    sealedBody: { type: "mediumtext", charset: "ascii", collation: "ascii_bin", nullable: true },
    ...QUEUED_COLUMNS,
    createdAt: { type: "datetime", precision: 3 },
    template: { type: "varchar", length: 40, charset: "ascii", collation: "ascii_bin", default: "reset" },
    language: { type: "char", length: 2, charset: "ascii", collation: "ascii_bin", default: "en" },
    heldBecause: { type: "varchar", length: 30, charset: "ascii", collation: "ascii_bin", nullable: true },
    expiresAt: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [
    { name: "mail_of_account", columns: ["accountId"] },
    { name: "mail_due", columns: ["state", "nextTryAt"] },
    { name: "mail_claim", columns: ["claim"] },
    { name: "mail_created", columns: ["createdAt"] },
  ],
  foreignKeys: [
    {
      name: "mail_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
