import type { LinkPurpose } from "@lucchetto/core";
import { EntitySchema } from "typeorm";

/** A single-use link. `secretHash` is the SHA-256 of its secret; `browserHash` that of the mark of who asked. */
export interface MailLinkRow {
  id: string;
  secretHash: Buffer;
  purpose: LinkPurpose;
  accountId: string;
  emailKey: string;
  browserHash: Buffer | null;
  createdAt: Date;
  expiresAt: Date;
  spentAt: Date | null;
  supersededAt: Date | null;
}

export const MailLinkEntity = new EntitySchema<MailLinkRow>({
  name: "mail_link",
  columns: {
    id: { type: "uuid", primary: true },
    secretHash: { type: "binary", length: 32 },
    purpose: { type: "varchar", length: 16, charset: "ascii", collation: "ascii_bin" },
    accountId: { type: "uuid" },
    emailKey: { type: "varchar", length: 254 },
    browserHash: { type: "binary", length: 32, nullable: true },
    createdAt: { type: "datetime", precision: 3 },
    expiresAt: { type: "datetime", precision: 3 },
    spentAt: { type: "datetime", precision: 3, nullable: true },
    supersededAt: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [
    { name: "mail_link_secret", columns: ["secretHash"], unique: true },
    { name: "mail_link_of_account", columns: ["accountId", "purpose"] },
    { name: "mail_link_expires", columns: ["expiresAt"] },
  ],
  foreignKeys: [
    {
      name: "mail_link_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
