import type { AppRight } from "@lucchetto/contract";
import type { LinkPurpose } from "@lucchetto/core";
import { EntitySchema } from "typeorm";

/** A web application registered here (the standards' client). */
export interface AppRow {
  id: string;
  clientId: string;
  name: string;
  redirectUris: string[];
  signedOutUris: string[];
  /** Whether it may act for people with forms of its own, under its key. */
  ownForms: boolean;
  /** Whether it may have people's own passwords checked that came as HTTP Basic. */
  basicPasswords: boolean;
  /** What its server may do besides asking who is there. */
  rights: AppRight[];
  /** Address of its first page, to which people's pages lead back. */
  home: string | null;
  /** Where a sign-in can be begun from outside (OpenID Connect Core, section 4). */
  initiateLoginUri: string | null;
  /** Its own pages to which mailed links lead, by their purpose. */
  linkAddresses: Partial<Record<LinkPurpose, string>>;
  createdAt: Date;
}

export const AppEntity = new EntitySchema<AppRow>({
  name: "app",
  columns: {
    id: { type: "uuid", primary: true },
    clientId: { type: "varchar", length: 63, charset: "ascii", collation: "ascii_bin" },
    name: { type: "varchar", length: 80 },
    redirectUris: { type: "json" },
    signedOutUris: { type: "json" },
    ownForms: { type: "boolean", default: false },
    basicPasswords: { type: "boolean", default: false },
    rights: { type: "json", default: "[]" },
    home: { type: "varchar", length: 500, nullable: true },
    initiateLoginUri: { type: "varchar", length: 500, nullable: true },
    linkAddresses: { type: "json", default: "{}" },
    createdAt: { type: "datetime", precision: 3 },
  },
  indices: [{ name: "app_client_id", columns: ["clientId"], unique: true }],
});

/** A key of an app. Several at once are valid while one takes over from another. */
export interface AppKeyRow {
  id: string;
  appId: string;
  keyHash: Buffer;
  createdAt: Date;
  lastUsedAt: Date | null;
}

export const AppKeyEntity = new EntitySchema<AppKeyRow>({
  name: "app_key",
  columns: {
    id: { type: "uuid", primary: true },
    appId: { type: "uuid" },
    keyHash: { type: "binary", length: 32 },
    createdAt: { type: "datetime", precision: 3 },
    lastUsedAt: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [
    { name: "app_key_hash", columns: ["keyHash"], unique: true },
    { name: "app_key_of_app", columns: ["appId"] },
  ],
  foreignKeys: [
    {
      name: "app_key_app",
      target: "app",
      columnNames: ["appId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
