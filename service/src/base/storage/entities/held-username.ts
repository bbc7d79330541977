import { EntitySchema } from "typeorm";

/** A username that an account was changed away from: to all others it is taken until `heldUntil`. */
export interface HeldUsernameRow {
  usernameKey: string;
  accountId: string;
  heldUntil: Date;
}

export const HeldUsernameEntity = new EntitySchema<HeldUsernameRow>({
  name: "held_username",
  columns: {
    usernameKey: { type: "varchar", length: 80, primary: true },
    accountId: { type: "uuid" },
    heldUntil: { type: "datetime", precision: 3 },
  },
  indices: [{ name: "held_username_until", columns: ["heldUntil"] }],
  foreignKeys: [
    {
      name: "held_username_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
