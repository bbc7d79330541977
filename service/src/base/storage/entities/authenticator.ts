import type { TotpAlgorithm, TotpSettings } from "@lucchetto/core";
import { EntitySchema } from "typeorm";

/** An authenticator app that makes one-time codes. It counts once it was confirmed. */
export interface AuthenticatorRow {
  id: string;
  accountId: string;
  name: string;
  /** Sealed, bound to this row. */
  sealedSecret: string;
  algorithm: TotpAlgorithm;
  digits: TotpSettings["digits"];
  period: TotpSettings["period"];
  /** The last time step whose code was taken; none at or before it is taken again. */
  lastStep: number | null;
  /** Steps by which its clock is off, and those of the last code taken. */
  drift: number;
  lastOffset: number | null;
  /** Its secret came from another system and is too short to stay. */
  isShort: boolean;
  createdAt: Date;
  /** Until then it must be confirmed. */
  expiresAt: Date;
  activatedAt: Date | null;
  lastUsedAt: Date | null;
  /** Kept for a while, and opens nothing meanwhile. */
  removedAt: Date | null;
  /** Since when what was shown to make it counts; `null`: nothing but a mailbox, and it counts from its own time. */
  provedSince: Date | null;
}

export const AuthenticatorEntity = new EntitySchema<AuthenticatorRow>({
  name: "authenticator",
  columns: {
    id: { type: "uuid", primary: true },
    accountId: { type: "uuid" },
    name: { type: "varchar", length: 80 },
    sealedSecret: { type: "varchar", length: 300 },
    algorithm: { type: "varchar", length: 10 },
    digits: { type: "tinyint" },
    period: { type: "tinyint" },
    lastStep: { type: "int", nullable: true },
    drift: { type: "smallint", default: 0 },
    lastOffset: { type: "smallint", nullable: true },
    isShort: { type: "boolean", default: false },
    createdAt: { type: "datetime", precision: 3 },
    expiresAt: { type: "datetime", precision: 3 },
    activatedAt: { type: "datetime", precision: 3, nullable: true },
    lastUsedAt: { type: "datetime", precision: 3, nullable: true },
    removedAt: { type: "datetime", precision: 3, nullable: true },
    provedSince: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [
    { name: "authenticator_of_account", columns: ["accountId", "id"] },
    { name: "authenticator_removed", columns: ["removedAt"] },
    { name: "authenticator_unconfirmed", columns: ["activatedAt", "expiresAt"] },
  ],
  foreignKeys: [
    {
      name: "authenticator_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
