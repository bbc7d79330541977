import type { AttestationFormat, CoseAlgorithm } from "@lucchetto/core/passkey";
import { EntitySchema } from "typeorm";

/** A passkey: the credential record of Web Authentication Level 3, section 4. */
export interface PasskeyRow {
  id: string;
  accountId: string;
  name: string;
  credentialId: Buffer;
  /** SubjectPublicKeyInfo in DER. */
  publicKey: Buffer;
  algorithm: CoseAlgorithm;
  signCount: number;
  /** The person was verified by it at least once. */
  userVerified: boolean;
  backupEligible: boolean;
  backedUp: boolean;
  aaguid: Buffer;
  transports: string[];
  attestation: AttestationFormat;
  /** The relying party that it was made for; at another one it opens nothing. */
  relyingPartyId: string;
  createdAt: Date;
  lastUsedAt: Date | null;
  /** Kept for a while, and opens nothing meanwhile. */
  removedAt: Date | null;
  /** Since when what was shown to make it counts; `null`: nothing but a mailbox, and it counts from its own time. */
  provedSince: Date | null;
}

export const PasskeyEntity = new EntitySchema<PasskeyRow>({
  name: "passkey",
  columns: {
    id: { type: "uuid", primary: true },
    accountId: { type: "uuid" },
    name: { type: "varchar", length: 80 },
    credentialId: { type: "varbinary", length: 1023 },
    publicKey: { type: "varbinary", length: 1100 },
    algorithm: { type: "int" },
    signCount: { type: "int", unsigned: true },
    userVerified: { type: "boolean" },
    backupEligible: { type: "boolean" },
    backedUp: { type: "boolean" },
    aaguid: { type: "binary", length: 16 },
    transports: { type: "json" },
    attestation: { type: "varchar", length: 12 },
    relyingPartyId: { type: "varchar", length: 253 },
    createdAt: { type: "datetime", precision: 3 },
    lastUsedAt: { type: "datetime", precision: 3, nullable: true },
    removedAt: { type: "datetime", precision: 3, nullable: true },
    provedSince: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [
    { name: "passkey_credential", columns: ["credentialId"], unique: true },
    { name: "passkey_of_account", columns: ["accountId", "id"] },
    { name: "passkey_removed", columns: ["removedAt"] },
    { name: "passkey_relying_party", columns: ["relyingPartyId"] },
  ],
  foreignKeys: [
    {
      name: "passkey_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
