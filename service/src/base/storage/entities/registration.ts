import type { Language } from "@lucchetto/core";
import type { RegisteredCredential } from "@lucchetto/core/passkey";
import { EntitySchema } from "typeorm";

/** A passkey as it is kept before there is an account; bytes in base64url. */
export type StoredPasskey = { readonly userHandle: string } & {
  readonly [Member in keyof RegisteredCredential]: RegisteredCredential[Member] extends Uint8Array
    ? string
    : RegisteredCredential[Member];
};

/** A registration that waits outside the accounts until its link is used. `record` is the password's, as in `password_record`. */
export interface RegistrationRow {
  id: string;
  email: string;
  emailKey: string;
  username: string | null;
  usernameKey: string | null;
  displayName: string | null;
  language: Language | null;
  record: string | null;
  isShort: boolean;
  /** The passkey in a password's place. */
  passkey: StoredPasskey | null;
  /** What the application filled in when it was asked. */
  filledIn: { labels?: string[]; reference?: string };
  browserHash: Buffer | null;
  createdAt: Date;
  expiresAt: Date;
}

export const RegistrationEntity = new EntitySchema<RegistrationRow>({
  name: "registration",
  columns: {
    id: { type: "uuid", primary: true },
    email: { type: "varchar", length: 254 },
    emailKey: { type: "varchar", length: 254 },
    username: { type: "varchar", length: 80, nullable: true },
    usernameKey: { type: "varchar", length: 80, nullable: true },
    displayName: { type: "varchar", length: 80, nullable: true },
    language: { type: "char", length: 2, charset: "ascii", collation: "ascii_bin", nullable: true },
    record: { type: "text", nullable: true },
    isShort: { type: "boolean", default: false },
    passkey: { type: "json", nullable: true },
    filledIn: { type: "json" },
    browserHash: { type: "binary", length: 32, nullable: true },
    createdAt: { type: "datetime", precision: 3 },
    expiresAt: { type: "datetime", precision: 3 },
  },
  indices: [
    { name: "registration_email", columns: ["emailKey"] },
    { name: "registration_expires", columns: ["expiresAt"] },
  ],
});
