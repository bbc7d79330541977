import { EntitySchema } from "typeorm";

/** A key with which an account's scripts call an application's API. `keyHash` is its SHA-256. */
export interface AccessKeyRow {
  id: string;
  accountId: string;
  keyHash: Buffer;
  name: string;
  /** The labels it carries at most; `null`: whatever the account carries at the time. */
  labels: string[] | null;
  createdAt: Date;
  expiresAt: Date | null;
  lastUsedAt: Date | null;
  /** From where it was made. */
  network: string | null;
}

export const AccessKeyEntity = new EntitySchema<AccessKeyRow>({
  name: "access_key",
  columns: {
    id: { type: "uuid", primary: true },
    accountId: { type: "uuid" },
    keyHash: { type: "binary", length: 32 },
    name: { type: "varchar", length: 80 },
    labels: { type: "json", nullable: true },
    createdAt: { type: "datetime", precision: 3 },
    expiresAt: { type: "datetime", precision: 3, nullable: true },
    lastUsedAt: { type: "datetime", precision: 3, nullable: true },
    network: { type: "varchar", length: 49, nullable: true },
  },
  indices: [
    { name: "access_key_hash", columns: ["keyHash"], unique: true },
    { name: "access_key_of_account", columns: ["accountId", "id"] },
  ],
  foreignKeys: [
    {
      name: "access_key_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
