/** Registering a credential: Web Authentication Level 3, section 7.1. */
import { createHash } from "node:crypto";
import type { AttestationFormat, AttestationTrust } from "./attestation.ts";
import { checkAttestation, readAttestationObject } from "./attestation.ts";
import type { ExpectedAuthenticatorData } from "./authenticator-data.ts";
import { checkAuthenticatorData, readAuthenticatorData } from "./authenticator-data.ts";
import { readBase64url } from "./base64url.ts";
import type { ExpectedClientData } from "./client-data.ts";
import { checkClientData } from "./client-data.ts";
import type { CoseAlgorithm } from "./cose-key.ts";
import { readCredentialKey } from "./cose-key.ts";
import type { RegistrationResponseJSON } from "./credential.ts";
import { readEnvelope } from "./credential.ts";
import { PasskeyFault } from "./fault.ts";

/** What a registration is held against (Web Authentication Level 3 section 7.1). */
export interface ExpectedRegistration
  extends ExpectedClientData, ExpectedAuthenticatorData, AttestationTrust {
  /** Those that were offered. */
  readonly algorithms: readonly CoseAlgorithm[];
}

/** A credential record (section 4), as it is to be stored. */
export interface RegisteredCredential {
  readonly credentialId: Uint8Array;
  /** SubjectPublicKeyInfo in DER. */
  readonly publicKey: Uint8Array;
  readonly algorithm: CoseAlgorithm;
  readonly signCount: number;
  readonly userVerified: boolean;
  readonly backupEligible: boolean;
  readonly backedUp: boolean;
  /** 16 bytes. */
  readonly aaguid: Uint8Array;
  /** As the browser tells them; those that no standard knows are kept. */
  readonly transports: readonly string[];
  readonly attestation: AttestationFormat;
}

const MAX_TRANSPORTS = 10;
const TRANSPORT = /^[a-z0-9-]{1,32}$/;

/**
 * Verifies the answer of an authenticator to a registration.
 * @throws PasskeyFault, each step its own.
 */
export function verifyRegistration(
  credential: RegistrationResponseJSON,
  expected: ExpectedRegistration,
): RegisteredCredential {
  const id = readEnvelope(credential);
  const { response } = credential;
  const clientData = readBase64url(response.clientDataJSON, "clientDataJSON");
  const attestationBytes = readBase64url(response.attestationObject, "attestationObject");
  checkClientData(clientData, "webauthn.create", expected);
  const attestation = readAttestationObject(attestationBytes);
  const data = readAuthenticatorData(attestation.authData);
  checkAuthenticatorData(data, expected);
  const attested = data.attestedCredentialData;
  if (attested === null)
    throw new PasskeyFault("passkey-credential-data-malformed", "it holds no attested credential data");
  const key = readCredentialKey(attested.credentialPublicKey);
  if (!expected.algorithms.includes(key.algorithm))
    throw new PasskeyFault("passkey-algorithm-not-offered", `algorithm ${key.algorithm} was not offered`);
  const clientDataHash = createHash("sha256").update(clientData).digest();
  const format = checkAttestation(attestation, { data, credential: attested, key, clientDataHash }, expected);
  if (!id.equals(attested.credentialId))
    throw new PasskeyFault("passkey-malformed", "id is another than the attested credential's");
  return {
    credentialId: attested.credentialId,
    publicKey: key.key.export({ format: "der", type: "spki" }),
    algorithm: key.algorithm,
    signCount: data.signCount,
    userVerified: data.userVerified,
    backupEligible: data.backupEligible,
    backedUp: data.backedUp,
    aaguid: attested.aaguid,
    transports: (response.transports ?? []).filter((name) => TRANSPORT.test(name)).slice(0, MAX_TRANSPORTS),
    attestation: format,
  };
}
