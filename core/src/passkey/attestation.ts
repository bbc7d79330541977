/** Attestation objects and statements (Web Authentication Level 3, sections 6.5 and 8): `none`, `packed` and `fido-u2f`. */
import type { X509Certificate } from "node:crypto";
import { verify } from "node:crypto";
import type { AttestedCredentialData, AuthenticatorData } from "./authenticator-data.ts";
import type { CborMap } from "./cbor.ts";
import { asBytes, asMap, CborError, decodeCbor } from "./cbor.ts";
import type { AttestationCertificate } from "./certificate.ts";
import { checkPackedCertificate, endsInAnchor, readCertificate } from "./certificate.ts";
import type { CoseAlgorithm, CredentialKey } from "./cose-key.ts";
import { COSE_ALGORITHM, hashOf, isSignedBy } from "./cose-key.ts";
import { PasskeyFault } from "./fault.ts";

/** Formats that are verified here; any other is refused by name. */
export const ATTESTATION_FORMATS = ["none", "packed", "fido-u2f"] as const;
/** Attestation statement formats that are verified (Web Authentication Level 3 section 8). */
export type AttestationFormat = (typeof ATTESTATION_FORMATS)[number];

/** Section 6.5: a map of these three. */
export interface AttestationObject {
  readonly fmt: string;
  readonly attStmt: CborMap;
  readonly authData: Uint8Array;
}

/** Certificates in one statement. */
const MAX_CERTIFICATES = 8;

/** Takes an attestation object apart. @throws PasskeyFault `passkey-attestation-malformed`. */
export function readAttestationObject(bytes: Uint8Array): AttestationObject {
  let map: CborMap | null;
  try {
    map = asMap(decodeCbor(bytes));
  } catch (error) {
    if (!(error instanceof CborError)) throw error;
    throw malformed(error.message);
  }
  const fmt = map?.get("fmt");
  const attStmt = asMap(map?.get("attStmt"));
  const authData = asBytes(map?.get("authData"));
  if (typeof fmt !== "string" || attStmt === null || authData === null)
    throw malformed("it is no map of fmt, attStmt and authData");
  return { fmt, attStmt, authData };
}

/** What a statement is about. */
export interface Attested {
  readonly data: AuthenticatorData;
  readonly credential: AttestedCredentialData;
  readonly key: CredentialKey;
  readonly clientDataHash: Uint8Array;
}

/** Which authenticators are trusted; without anchors every one is. */
export interface AttestationTrust {
  readonly anchors: readonly X509Certificate[];
  readonly now: Date;
}

/**
 * Verifies a statement (section 7.1, "verify that attStmt is a correct attestation statement" and the steps after it).
 * @throws PasskeyFault `passkey-attestation-…`, `passkey-certificate-wrong`.
 */
export function checkAttestation(
  { fmt, attStmt }: AttestationObject,
  attested: Attested,
  trust: AttestationTrust,
): AttestationFormat {
  const format = ATTESTATION_FORMATS.find((known) => known === fmt);
  if (format === undefined)
    throw new PasskeyFault(
      "passkey-attestation-format-unknown",
      `attestation format ${JSON.stringify(fmt.slice(0, 40))} is not taken; taken are ${ATTESTATION_FORMATS.join(", ")}`,
    );
  const chain = STATEMENTS[format](attStmt, attested);
  if (trust.anchors.length > 0 && (chain === null || !endsInAnchor(chain, trust)))
    throw new PasskeyFault(
      "passkey-attestation-untrusted",
      "its attestation ends in none of the trusted certificates",
    );
  return format;
}

/** The chain of certificates that vouches for the authenticator; `null`: nobody does. */
type Chain = readonly AttestationCertificate[] | null;

const STATEMENTS: Readonly<Record<AttestationFormat, (statement: CborMap, attested: Attested) => Chain>> = {
  none(statement) {
    if (statement.size > 0) throw statementWrong("none has an empty statement");
    return null;
  },

  packed(statement, { data, credential, key, clientDataHash }) {
    const alg = statement.get("alg");
    const signature = asBytes(statement.get("sig"));
    if (typeof alg !== "number" || signature === null) throw statementWrong("packed has alg and sig");
    const signed = Buffer.concat([data.bytes, clientDataHash]);
    if (!statement.has("x5c")) {
      if (alg !== key.algorithm) throw statementWrong("its algorithm is another than the key's");
      if (!isSignedBy(key, { signed, signature })) throw signatureWrong("the credential's key");
      return null;
    }
    const chain = readChain(statement);
    const [first] = chain;
    if (!isSignedByCertificate(first.x509, alg, { signed, signature }))
      throw signatureWrong("the attestation certificate's key");
    checkPackedCertificate(first, credential.aaguid);
    return chain;
  },

  "fido-u2f"(statement, { data, credential, key, clientDataHash }) {
    const signature = asBytes(statement.get("sig"));
    if (signature === null) throw statementWrong("fido-u2f has x5c and sig");
    const chain = readChain(statement);
    const [first] = chain;
    if (chain.length !== 1) throw statementWrong("fido-u2f has exactly one certificate");
    const { asymmetricKeyType, asymmetricKeyDetails } = first.x509.publicKey;
    if (asymmetricKeyType !== "ec" || asymmetricKeyDetails?.namedCurve !== "prime256v1")
      throw new PasskeyFault(
        "passkey-certificate-wrong",
        "the attestation certificate: its key is not on P-256",
      );
    if (key.algorithm !== COSE_ALGORITHM.ES256) throw statementWrong("a U2F key is on P-256");
    if (credential.aaguid.some((byte) => byte !== 0))
      throw statementWrong("a U2F authenticator has no AAGUID");
    // Section 8.6, step 5: the signature base of U2F.
    const { x = "", y = "" } = key.key.export({ format: "jwk" });
    const signed = Buffer.concat([
      Buffer.of(0x00),
      data.rpIdHash,
      clientDataHash,
      credential.credentialId,
      Buffer.of(0x04),
      Buffer.from(x, "base64url"),
      Buffer.from(y, "base64url"),
    ]);
    if (!verify("sha256", signed, first.x509.publicKey, signature))
      throw signatureWrong("the attestation certificate's key");
    return chain;
  },
};

function readChain(statement: CborMap): readonly [AttestationCertificate, ...AttestationCertificate[]] {
  const list = statement.get("x5c");
  if (!Array.isArray(list) || list.length > MAX_CERTIFICATES)
    throw statementWrong("x5c is no list of certificates");
  const [first, ...others] = list.map((der) => {
    const bytes = asBytes(der);
    if (bytes === null) throw statementWrong("x5c is no list of certificates");
    return readCertificate(bytes);
  });
  if (first === undefined) throw statementWrong("x5c is empty");
  return [first, ...others];
}

/** Whether the certificate's key is one for the stated algorithm, and signed. */
function isSignedByCertificate(
  { publicKey }: X509Certificate,
  alg: number,
  { signed, signature }: { signed: Uint8Array; signature: Uint8Array },
): boolean {
  const algorithm = Object.values(COSE_ALGORITHM).find((known) => known === alg);
  if (algorithm === undefined) throw statementWrong(`algorithm ${alg} is not known`);
  const { asymmetricKeyType: type, asymmetricKeyDetails } = publicKey;
  const fits = KEY_OF_ALGORITHM[algorithm];
  if (type !== fits.type || (fits.curve !== undefined && asymmetricKeyDetails?.namedCurve !== fits.curve))
    throw statementWrong("its algorithm does not fit the certificate's key");
  try {
    return verify(hashOf(algorithm), signed, publicKey, signature);
  } catch {
    // OpenSSL throws on signatures of an impossible form: they are wrong ones.
    return false;
  }
}

/** As node:crypto names types and curves. */
const KEY_OF_ALGORITHM: Readonly<Record<CoseAlgorithm, { type: string; curve?: string }>> = {
  [COSE_ALGORITHM.ES256]: { type: "ec", curve: "prime256v1" },
  [COSE_ALGORITHM.ES384]: { type: "ec", curve: "secp384r1" },
  [COSE_ALGORITHM.ES512]: { type: "ec", curve: "secp521r1" },
  [COSE_ALGORITHM.EdDSA]: { type: "ed25519" },
  [COSE_ALGORITHM.RS256]: { type: "rsa" },
};

function malformed(what: string): PasskeyFault {
  return new PasskeyFault("passkey-attestation-malformed", `the attestation object: ${what}`);
}

function statementWrong(what: string): PasskeyFault {
  return new PasskeyFault("passkey-attestation-statement-wrong", `the attestation statement: ${what}`);
}

function signatureWrong(by: string): PasskeyFault {
  return new PasskeyFault("passkey-attestation-signature-wrong", `the attestation is not signed by ${by}`);
}
