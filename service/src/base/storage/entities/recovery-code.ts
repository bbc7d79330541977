import { EntitySchema } from "typeorm";

/** A recovery code of an account's present set, or of one that was replaced. `codeHash` is keyed with the key of the ring that `keyId` names. */
export interface RecoveryCodeRow {
  accountId: string;
  codeHash: Buffer;
  keyId: string;
  createdAt: Date;
  usedAt: Date | null;
  /** Kept for a while, and opens nothing meanwhile. */
  removedAt: Date | null;
  /** Since when what was shown to make it counts; `null`: nothing but a mailbox, and it counts from its own time. */
  provedSince: Date | null;
}

export const RecoveryCodeEntity = new EntitySchema<RecoveryCodeRow>({
  name: "recovery_code",
  columns: {
    accountId: { type: "uuid", primary: true },
    codeHash: { type: "binary", length: 32, primary: true },
    keyId: { type: "varchar", length: 32 },
    createdAt: { type: "datetime", precision: 3 },
    usedAt: { type: "datetime", precision: 3, nullable: true },
    removedAt: { type: "datetime", precision: 3, nullable: true },
    provedSince: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [{ name: "recovery_code_removed", columns: ["removedAt"] }],
  foreignKeys: [
    {
      name: "recovery_code_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
