import { EntitySchema } from "typeorm";

/** A browser that completed a sign-in of this account: the SHA-256 of its random mark. */
export interface KnownDeviceRow {
  accountId: string;
  markHash: Buffer;
  createdAt: Date;
  lastUsedAt: Date;
  /** Since when what was shown there counts; `null`: nothing but the mailbox. */
  provedSince: Date | null;
  /** Known no longer, as after a reset. It still tells for a while that its owner was there before. */
  forgottenAt: Date | null;
  /** Its owner changed the password elsewhere: from then on it tells nothing any more of who was there before. */
  endedAt: Date | null;
}

export const KnownDeviceEntity = new EntitySchema<KnownDeviceRow>({
  name: "known_device",
  columns: {
    accountId: { type: "uuid", primary: true },
    markHash: { type: "binary", length: 32, primary: true },
    createdAt: { type: "datetime", precision: 3 },
    lastUsedAt: { type: "datetime", precision: 3 },
    provedSince: { type: "datetime", precision: 3, nullable: true },
    forgottenAt: { type: "datetime", precision: 3, nullable: true },
    endedAt: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [
    { name: "known_device_used", columns: ["lastUsedAt"] },
    { name: "known_device_forgotten", columns: ["forgottenAt"] },
  ],
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
