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
  /** Since when the oldest of what was shown to set it counts; `null`: nothing but a mailbox, and it counts from when it was set. */
  provedSince: Date | null;
  /** Since when a browser or a factor among it stands itself. */
  standsSince: Date | null;
  /** SHA-256 of the mark of the browser in which it was set. */
  setInBrowser: Buffer | null;
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
    provedSince: { type: "datetime", precision: 3, nullable: true },
    standsSince: { type: "datetime", precision: 3, nullable: true },
    setInBrowser: { type: "binary", length: 32, nullable: true },
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
