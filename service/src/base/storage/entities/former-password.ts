import { EntitySchema } from "typeorm";

/** A password that was replaced or taken away, kept while it may prove that somebody was there before. It opens nothing. */
export interface FormerPasswordRow {
  id: string;
  accountId: string;
  record: string;
  setAt: Date;
  replacedAt: Date;
  /** As of the password's own record. */
  provedSince: Date | null;
  standsSince: Date | null;
  setInBrowser: Buffer | null;
}

export const FormerPasswordEntity = new EntitySchema<FormerPasswordRow>({
  name: "former_password",
  columns: {
    id: { type: "uuid", primary: true },
    accountId: { type: "uuid" },
    record: { type: "varchar", length: 512, charset: "ascii", collation: "ascii_bin" },
    setAt: { type: "datetime", precision: 3 },
    replacedAt: { type: "datetime", precision: 3 },
    provedSince: { type: "datetime", precision: 3, nullable: true },
    standsSince: { type: "datetime", precision: 3, nullable: true },
    setInBrowser: { type: "binary", length: 32, nullable: true },
  },
  indices: [
    { name: "former_password_of_account", columns: ["accountId", "replacedAt"] },
    { name: "former_password_replaced", columns: ["replacedAt"] },
  ],
  foreignKeys: [
    {
      name: "former_password_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
