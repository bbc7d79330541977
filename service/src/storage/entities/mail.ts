import type { Language } from "@lucchetto/core";
import { EntitySchema } from "typeorm";

/** A mail. Its body is sealed, since it may carry a secret, and goes when the mail was sent. */
export interface MailRow {
  id: string;
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
  tries: number;
  nextTryAt: Date | null;
  /** Of the one instance that sends it, until `claimedUntil`. */
  claim: string | null;
  claimedUntil: Date | null;
  lastTryAt: Date | null;
  lastAnswer: string | null;
}

export const MailEntity = new EntitySchema<MailRow>({
  name: "mail",
  columns: {
    id: { type: "uuid", primary: true },
    accountId: { type: "uuid", nullable: true },
    toAddress: { type: "varchar", length: 254 },
    subject: { type: "varchar", length: 190 },
    sealedBody: { type: "mediumtext", charset: "ascii", collation: "ascii_bin", nullable: true },
    state: { type: "varchar", length: 12, charset: "ascii", collation: "ascii_bin" },
    createdAt: { type: "datetime", precision: 3 },
    template: { type: "varchar", length: 40, charset: "ascii", collation: "ascii_bin", default: "reset" },
    language: { type: "char", length: 2, charset: "ascii", collation: "ascii_bin", default: "en" },
    heldBecause: { type: "varchar", length: 30, charset: "ascii", collation: "ascii_bin", nullable: true },
    expiresAt: { type: "datetime", precision: 3, nullable: true },
    tries: { type: "int", default: 0 },
    nextTryAt: { type: "datetime", precision: 3, nullable: true },
    claim: { type: "uuid", nullable: true },
    claimedUntil: { type: "datetime", precision: 3, nullable: true },
    lastTryAt: { type: "datetime", precision: 3, nullable: true },
    lastAnswer: { type: "varchar", length: 190, nullable: true },
  },
  indices: [
    { name: "mail_of_account", columns: ["accountId"] },
    { name: "mail_due", columns: ["state", "nextTryAt"] },
    { name: "mail_claim", columns: ["claim"] },
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
