import { EntitySchema } from "typeorm";

/** A proved address that an account was changed away from: to all others it is taken until `heldUntil`. */
export interface HeldAddressRow {
  emailKey: string;
  accountId: string;
  heldUntil: Date;
}

export const HeldAddressEntity = new EntitySchema<HeldAddressRow>({
  name: "held_address",
  columns: {
    emailKey: { type: "varchar", length: 254, primary: true },
    accountId: { type: "uuid" },
    heldUntil: { type: "datetime", precision: 3 },
  },
  indices: [{ name: "held_address_until", columns: ["heldUntil"] }],
  foreignKeys: [
    {
      name: "held_address_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
