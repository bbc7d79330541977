/** Authenticator data (Web Authentication Level 3, section 6.1): 37 bytes, then only what its flags announce. */
import { createHash, timingSafeEqual } from "node:crypto";
import { asMap, CborError, decodeFirstCbor } from "./cbor.ts";
import { PasskeyFault } from "./fault.ts";

/** What stands in authenticator data. */
export interface AuthenticatorData {
  /** As received; signatures cover exactly these bytes. */
  readonly bytes: Uint8Array;
  readonly rpIdHash: Uint8Array;
  readonly userPresent: boolean;
  readonly userVerified: boolean;
  readonly backupEligible: boolean;
  readonly backedUp: boolean;
  readonly signCount: number;
  /** At registration. */
  readonly attestedCredentialData: AttestedCredentialData | null;
}

/** Section 6.5.1. */
export interface AttestedCredentialData {
  /** 16 bytes. */
  readonly aaguid: Uint8Array;
  readonly credentialId: Uint8Array;
  /** The COSE_Key, as received. */
  readonly credentialPublicKey: Uint8Array;
}

/** Section 6.1, the bits of the flags. */
const FLAG = { UP: 0x01, UV: 0x04, BE: 0x08, BS: 0x10, AT: 0x40, ED: 0x80 } as const;

const RP_ID_HASH_BYTES = 32;
const FLAGS_AT = RP_ID_HASH_BYTES;
const SIGN_COUNT_AT = FLAGS_AT + 1;
const HEAD_BYTES = SIGN_COUNT_AT + 4;
const AAGUID_BYTES = 16;

/** Bytes of a credential id (section 4, "Credential ID"). */
const MAX_CREDENTIAL_ID_BYTES = 1_023;

/** Takes it apart. @throws PasskeyFault `passkey-data-malformed`, `passkey-credential-data-malformed`, `passkey-id-length-wrong`, `passkey-extensions-malformed`. */
export function readAuthenticatorData(bytes: Uint8Array): AuthenticatorData {
  if (bytes.length < HEAD_BYTES)
    throw new PasskeyFault("passkey-data-malformed", "authenticator data has 37 bytes at least");
  const flags = bytes[FLAGS_AT] ?? 0;
  const has = (flag: number) => (flags & flag) !== 0;
  let at = HEAD_BYTES;
  let attestedCredentialData: AttestedCredentialData | null = null;
  if (has(FLAG.AT)) {
    const read = readAttestedCredentialData(bytes.subarray(at));
    attestedCredentialData = read.data;
    at += read.length;
  }
  if (has(FLAG.ED)) at += lengthOfExtensions(bytes.subarray(at));
  if (at !== bytes.length)
    throw new PasskeyFault("passkey-data-malformed", "authenticator data has bytes that no flag announces");
  return {
    bytes,
    rpIdHash: bytes.subarray(0, RP_ID_HASH_BYTES),
    userPresent: has(FLAG.UP),
    userVerified: has(FLAG.UV),
    backupEligible: has(FLAG.BE),
    backedUp: has(FLAG.BS),
    signCount: new DataView(bytes.buffer, bytes.byteOffset).getUint32(SIGN_COUNT_AT),
    attestedCredentialData,
  };
}

function readAttestedCredentialData(bytes: Uint8Array): { data: AttestedCredentialData; length: number } {
  const idAt = AAGUID_BYTES + 2;
  if (bytes.length < idAt)
    throw new PasskeyFault(
      "passkey-credential-data-malformed",
      "it ends in the AAGUID or the length of the id",
    );
  const idLength = new DataView(bytes.buffer, bytes.byteOffset).getUint16(AAGUID_BYTES);
  if (idLength === 0 || idLength > MAX_CREDENTIAL_ID_BYTES)
    throw new PasskeyFault(
      "passkey-id-length-wrong",
      `a credential id has 1 to ${MAX_CREDENTIAL_ID_BYTES} bytes`,
    );
  const keyAt = idAt + idLength;
  if (bytes.length <= keyAt)
    throw new PasskeyFault("passkey-credential-data-malformed", "it ends in the credential id");
  const keyLength = lengthOfItem(bytes.subarray(keyAt), "passkey-credential-data-malformed", "the key");
  return {
    data: {
      aaguid: bytes.subarray(0, AAGUID_BYTES),
      credentialId: bytes.subarray(idAt, keyAt),
      credentialPublicKey: bytes.subarray(keyAt, keyAt + keyLength),
    },
    length: keyAt + keyLength,
  };
}

/** Extension outputs are a map; none was asked for, so what it says has no effect. */
function lengthOfExtensions(bytes: Uint8Array): number {
  return lengthOfItem(bytes, "passkey-extensions-malformed", "the extensions");
}

function lengthOfItem(
  bytes: Uint8Array,
  fault: "passkey-credential-data-malformed" | "passkey-extensions-malformed",
  what: string,
): number {
  try {
    const { value, length } = decodeFirstCbor(bytes);
    if (asMap(value) !== null) return length;
  } catch (error) {
    if (!(error instanceof CborError)) throw error;
    throw new PasskeyFault(fault, `${what}: ${error.message}`);
  }
  throw new PasskeyFault(fault, `${what}: not a map`);
}

/** What both ceremonies check of it. */
export interface ExpectedAuthenticatorData {
  readonly rpId: string;
  /** Whether the person must have been verified (PIN, fingerprint), and not only present. */
  readonly requireUserVerification: boolean;
}

/** Checks the RP id's hash, presence, verification and backup state: sections 7.1 and 7.2, in their order. */
export function checkAuthenticatorData(
  data: AuthenticatorData,
  { rpId, requireUserVerification }: ExpectedAuthenticatorData,
): void {
  if (!timingSafeEqual(data.rpIdHash, createHash("sha256").update(rpId).digest()))
    throw new PasskeyFault(
      "passkey-relying-party-mismatch",
      `it was made for another relying party than ${rpId}`,
    );
  if (!data.userPresent) throw new PasskeyFault("passkey-person-absent", "nobody touched the authenticator");
  if (requireUserVerification && !data.userVerified)
    throw new PasskeyFault("passkey-person-unverified", "the authenticator did not verify who holds it");
  if (data.backedUp && !data.backupEligible)
    throw new PasskeyFault("passkey-backup-state-wrong", "it is backed up and cannot be backed up");
}
