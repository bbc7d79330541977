import type { LinkPurpose } from "@lucchetto/core";
import { EntitySchema } from "typeorm";

/** A single-use link. `secretHash` is the SHA-256 of its secret; `browserHash` that of the mark of who asked. */
export interface MailLinkRow {
  id: string;
  secretHash: Buffer;
  purpose: LinkPurpose;
  /** Whose it is: an account's, or a registration's that waits outside them. */
  accountId: string | null;
  registrationId: string | null;
  /** The sign-in that it was asked for in. */
  signInId: string | null;
  /** The address that the account gets by it. */
  newEmail: string | null;
  /** The address that the account had when it was asked for. */
  emailKey: string;
  browserHash: Buffer | null;
  createdAt: Date;
  expiresAt: Date;
  spentAt: Date | null;
  supersededAt: Date | null;
  /** The session in which a change of address was asked for; with its end the change lapses. */
  sessionId: string | null;
  /** Keyed hash of the code that the link was exchanged for elsewhere. */
  codeHash: Buffer | null;
  wrongCodes: number;
  /** Of the account as it was before a change that the link undoes. */
  formerEmail: string | null;
  formerUsername: string | null;
  /** The path of this service that whoever asked wanted to go on to. */
  returnTo: string | null;
}

export const MailLinkEntity = new EntitySchema<MailLinkRow>({
  name: "mail_link",
  columns: {
    id: { type: "uuid", primary: true },
    secretHash: { type: "binary", length: 32 },
    purpose: { type: "varchar", length: 16, charset: "ascii", collation: "ascii_bin" },
    accountId: { type: "uuid", nullable: true },
    registrationId: { type: "uuid", nullable: true },
    signInId: { type: "uuid", nullable: true },
    newEmail: { type: "varchar", length: 254, nullable: true },
    emailKey: { type: "varchar", length: 254 },
    browserHash: { type: "binary", length: 32, nullable: true },
    createdAt: { type: "datetime", precision: 3 },
    expiresAt: { type: "datetime", precision: 3 },
    spentAt: { type: "datetime", precision: 3, nullable: true },
    supersededAt: { type: "datetime", precision: 3, nullable: true },
    sessionId: { type: "uuid", nullable: true },
    codeHash: { type: "binary", length: 32, nullable: true },
    wrongCodes: { type: "tinyint", default: 0 },
    formerEmail: { type: "varchar", length: 254, nullable: true },
    formerUsername: { type: "varchar", length: 80, nullable: true },
    returnTo: { type: "varchar", length: 2000, nullable: true },
  },
  indices: [
    { name: "mail_link_secret", columns: ["secretHash"], unique: true },
    { name: "mail_link_of_account", columns: ["accountId", "purpose"] },
    { name: "mail_link_of_registration", columns: ["registrationId"] },
    { name: "mail_link_expires", columns: ["expiresAt"] },
    { name: "mail_link_of_session", columns: ["sessionId"] },
  ],
  foreignKeys: [
    {
      name: "mail_link_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
    {
      name: "mail_link_registration",
      target: "registration",
      columnNames: ["registrationId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
