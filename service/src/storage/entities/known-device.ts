import { EntitySchema } from "typeorm";

/** A browser that completed a sign-in of this account: the SHA-256 of its random mark. */
export interface KnownDeviceRow {
  accountId: string;
  markHash: Buffer;
  createdAt: Date;
  lastUsedAt: Date;
}

export const KnownDeviceEntity = new EntitySchema<KnownDeviceRow>({
  name: "known_device",
  columns: {
    accountId: { type: "uuid", primary: true },
    markHash: { type: "binary", length: 32, primary: true },
    createdAt: { type: "datetime", precision: 3 },
    lastUsedAt: { type: "datetime", precision: 3 },
  },
  indices: [{ name: "known_device_used", columns: ["lastUsedAt"] }],
  foreignKeys: [
    {
      name: "known_device_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
