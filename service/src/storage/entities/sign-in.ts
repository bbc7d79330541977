import type { SessionKind } from "@lucchetto/core";
import { EntitySchema } from "typeorm";

/** A sign-in in progress. `tokenHash` is the SHA-256 of the token that goes on with it. */
export interface SignInRow {
  id: string;
  tokenHash: Buffer;
  accountId: string;
  /** Of the session that it will become. */
  kind: SessionKind;
  /** What was shown so far (RFC 8176). */
  amr: string[];
  createdAt: Date;
  expiresAt: Date;
  /** Became a session, or was ended by what happened to the account. */
  endedAt: Date | null;
}

export const SignInEntity = new EntitySchema<SignInRow>({
  name: "sign_in",
  columns: {
    id: { type: "uuid", primary: true },
    tokenHash: { type: "binary", length: 32 },
    accountId: { type: "uuid" },
    kind: { type: "varchar", length: 12 },
    amr: { type: "json" },
    createdAt: { type: "datetime", precision: 3 },
    expiresAt: { type: "datetime", precision: 3 },
    endedAt: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [
    { name: "sign_in_token", columns: ["tokenHash"], unique: true },
    { name: "sign_in_of_account", columns: ["accountId"] },
    { name: "sign_in_expires", columns: ["expiresAt"] },
  ],
  foreignKeys: [
    {
      name: "sign_in_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
