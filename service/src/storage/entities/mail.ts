import { EntitySchema } from "typeorm";

/** A mail. Its body is sealed, since it may carry a secret. */
export interface MailRow {
  id: string;
  accountId: string | null;
  toAddress: string;
  subject: string;
  sealedBody: string;
  /** `caught`: kept in the built-in mailbox. `held`: over a limit, sent to nobody. */
  state: "caught" | "held";
  createdAt: Date;
}

export const MailEntity = new EntitySchema<MailRow>({
  name: "mail",
  columns: {
    id: { type: "uuid", primary: true },
    accountId: { type: "uuid", nullable: true },
    toAddress: { type: "varchar", length: 254 },
    subject: { type: "varchar", length: 190 },
    sealedBody: { type: "mediumtext", charset: "ascii", collation: "ascii_bin" },
    state: { type: "varchar", length: 12, charset: "ascii", collation: "ascii_bin" },
    createdAt: { type: "datetime", precision: 3 },
  },
  indices: [{ name: "mail_of_account", columns: ["accountId"] }],
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
