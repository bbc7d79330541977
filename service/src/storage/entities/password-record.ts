import { EntitySchema } from "typeorm";

/** An account's password: one PHC string, and when the password was set and the record last made. */
export interface PasswordRecordRow {
  accountId: string;
  record: string;
  /** The record's own beginning, for counting: all before its salt and hash. */
  scheme: string;
  setAt: Date;
  madeAt: Date;
  /** Set where a second factor is required: too short to be the only proof. */
  isShort: boolean;
}

export const PasswordRecordEntity = new EntitySchema<PasswordRecordRow>({
  name: "password_record",
  columns: {
    accountId: { type: "uuid", primary: true },
    record: { type: "varchar", length: 512, charset: "ascii", collation: "ascii_bin" },
    scheme: { type: "varchar", length: 190, charset: "ascii", collation: "ascii_bin" },
    setAt: { type: "datetime", precision: 3 },
    madeAt: { type: "datetime", precision: 3 },
    isShort: { type: "boolean", default: false },
  },
  indices: [{ name: "password_record_scheme", columns: ["scheme", "accountId"] }],
  foreignKeys: [
    {
      name: "password_record_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
