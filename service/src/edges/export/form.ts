/**
 * The form of an export: JSON Lines. First what it is, then an account a line, then how many there were; each with a seal
 * (line-seal.ts). Documented in docs/moving-in.md.
 */
import { label } from "@lucchetto/contract";
import { ACCOUNT_STATES, LANGUAGES, TOTP_ALGORITHMS } from "@lucchetto/core";
import { z } from "zod";

const time = z.iso.datetime();
const base64url = z.base64url();
const id = z.uuid();
/** So many bytes, no more and no less. */
const bytes = (count: number) =>
  base64url.refine((text) => Buffer.from(text, "base64url").length === count, `expected ${count} bytes`);
const upTo = (most: number) =>
  base64url.refine((text) => Buffer.from(text, "base64url").length <= most, `expected at most ${most} bytes`);
const HASH_BYTES = 32;

/** The version of the form. Version 1 had no seal. */
export const EXPORT_VERSION = 2;
const UNSEALED_VERSION = 1;

/** The key of the lines' seals: as a JWE to the recipient, and sealed under the key ring. */
const sealKey = z.strictObject({ recipient: z.string().nullable(), keyRing: z.string().nullable() });
export type SealKey = z.output<typeof sealKey>;

export const exportHead = z.strictObject({
  lucchettoExport: z.literal([UNSEALED_VERSION, EXPORT_VERSION]),
  madeAt: time,
  site: z.string(),
  relyingPartyId: z.string(),
  /** SHA-256 of the public key (RFC 7638) that authenticators' secrets are sealed to; `null`: they were left out. */
  sealedTo: z.string().nullable(),
  /** `null`: no line has a seal, for there was neither a key ring nor a recipient. */
  sealKey: sealKey.nullable().default(null),
  recipes: z.array(z.strictObject({ id: z.string(), text: z.string() })),
});
export type ExportHead = z.output<typeof exportHead>;

export const exportedAccount = z.strictObject({
  id,
  reference: z.string().max(190).nullable(),
  email: z.string().nullable(),
  emailVerifiedAt: time.nullable(),
  username: z.string().nullable(),
  displayName: z.string().max(80).nullable(),
  state: z.enum(ACCOUNT_STATES),
  labels: z.array(label).max(20),
  language: z.enum(LANGUAGES).nullable(),
  mustChangePassword: z.boolean(),
  /** What protects whoever owns the address: each goes along, so that no way round leads through an export. */
  isOpenlyRegistered: z.boolean(),
  isAddressCorrected: z.boolean(),
  wantsMailedProof: z.boolean(),
  firstPasswordUntil: time.nullable(),
  createdAt: time,
  lastSignInAt: time.nullable(),
  userHandle: bytes(HASH_BYTES).nullable(),
  password: z
    .strictObject({
      record: z.string().max(512),
      setAt: time,
      madeAt: time,
      isShort: z.boolean(),
      /** What came along with it from elsewhere. */
      imported: z
        .strictObject({
          recipe: z.string().nullable(),
          salt: upTo(4_096).nullable(),
          isSaltText: z.boolean(),
          username: z.string().nullable(),
          email: z.string().nullable(),
        })
        .nullable(),
    })
    .nullable(),
  authenticators: z.array(
    z.strictObject({
      id,
      name: z.string().max(80),
      algorithm: z.enum(TOTP_ALGORITHMS),
      digits: z.union([z.literal(6), z.literal(8)]),
      period: z.union([z.literal(30), z.literal(60)]),
      lastStep: z.int().nullable(),
      isShort: z.boolean(),
      createdAt: time,
      activatedAt: time,
      lastUsedAt: time.nullable(),
      /** The secret in base32, as a JWE (RFC 7516). */
      secret: z.string(),
    }),
  ),
  passkeys: z.array(
    z.strictObject({
      id,
      name: z.string().max(80),
      credentialId: upTo(1_023),
      publicKey: upTo(1_100),
      algorithm: z.int(),
      signCount: z.int(),
      userVerified: z.boolean(),
      backupEligible: z.boolean(),
      backedUp: z.boolean(),
      aaguid: bytes(16),
      transports: z.array(z.string()),
      attestation: z.string().max(12),
      relyingPartyId: z.string(),
      createdAt: time,
      lastUsedAt: time.nullable(),
    }),
  ),
  /** Keyed hashes: of use where the key ring moves along. */
  recoveryCodes: z.array(
    z.strictObject({
      codeHash: bytes(HASH_BYTES),
      keyId: z.string().max(32),
      createdAt: time,
      usedAt: time.nullable(),
    }),
  ),
});
export type ExportedAccount = z.output<typeof exportedAccount>;

export const exportEnd = z.strictObject({ accounts: z.int() });
