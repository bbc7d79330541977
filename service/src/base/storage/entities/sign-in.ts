import type { SessionKind } from "@lucchetto/core";
import { EntitySchema } from "typeorm";

/** A sign-in in progress. `tokenHash` is the SHA-256 of the token that goes on with it. */
export interface SignInRow {
  id: string;
  tokenHash: Buffer;
  /** `null` while nobody is known: a link was asked for, for an address that is unknown or not looked up yet. */
  accountId: string | null;
  /** The registration that becomes an account when the link is used. */
  registrationId: string | null;
  /** Of the session that it will become. */
  kind: SessionKind;
  /** What was shown so far (RFC 8176). */
  amr: string[];
  createdAt: Date;
  expiresAt: Date;
  /** Became a session, or was ended by what happened to the account. */
  endedAt: Date | null;
  /** Keyed hash of the short code that its link was swapped for. */
  mailCodeHash: Buffer | null;
  wrongProofs: number;
  /** Where the person wanted to go. */
  returnTo: string | null;
  /** Where it was begun. */
  userAgent: string | null;
  network: string | null;
  /** The app with forms of its own in which it was begun. */
  appId: string | null;
  /** Since when the oldest of what was shown counts; `null`: nothing but a mailbox. */
  provedSince: Date | null;
  /** Since when a browser or a factor among it stands itself. */
  standsSince: Date | null;
}

export const SignInEntity = new EntitySchema<SignInRow>({
  name: "sign_in",
  columns: {
    id: { type: "uuid", primary: true },
    tokenHash: { type: "binary", length: 32 },
    accountId: { type: "uuid", nullable: true },
    registrationId: { type: "uuid", nullable: true },
    kind: { type: "varchar", length: 12 },
    amr: { type: "json" },
    createdAt: { type: "datetime", precision: 3 },
    expiresAt: { type: "datetime", precision: 3 },
    endedAt: { type: "datetime", precision: 3, nullable: true },
    mailCodeHash: { type: "binary", length: 32, nullable: true },
    wrongProofs: { type: "int", default: 0 },
    returnTo: { type: "varchar", length: 2000, nullable: true },
    userAgent: { type: "varchar", length: 300, nullable: true },
    network: { type: "varchar", length: 49, nullable: true },
    appId: { type: "uuid", nullable: true },
    provedSince: { type: "datetime", precision: 3, nullable: true },
    standsSince: { type: "datetime", precision: 3, nullable: true },
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
