/** Verifying an assertion, the answer of an authenticator to a sign-in: Web Authentication Level 3, section 7.2. */
import { createPublicKey, hash } from "node:crypto";
import type { ExpectedAuthenticatorData } from "./authenticator-data.ts";
import { checkAuthenticatorData, readAuthenticatorData } from "./authenticator-data.ts";
import { readBase64url } from "./base64url.ts";
import type { ExpectedClientData } from "./client-data.ts";
import { checkClientData } from "./client-data.ts";
import type { CoseAlgorithm } from "./cose-key.ts";
import { isSignedBy } from "./cose-key.ts";
import type { AuthenticationResponseJSON } from "./credential.ts";
import { PasskeyFault } from "./fault.ts";

/** What an assertion is held against (Web Authentication Level 3 section 7.2). */
export interface ExpectedAssertion extends ExpectedClientData, ExpectedAuthenticatorData {
  /** Whether a counter that does not grow is refused, and not only told (section 6.1.1). */
  readonly refuseStillCounter: boolean;
}

/** What is stored of the credential that answers. */
export interface StoredCredential {
  /** SubjectPublicKeyInfo in DER. */
  readonly publicKey: Uint8Array;
  readonly algorithm: CoseAlgorithm;
  readonly signCount: number;
  readonly backupEligible: boolean;
}

/** What is to be stored after success, and only then. */
export interface VerifiedAssertion {
  readonly signCount: number;
  readonly userVerified: boolean;
  readonly backedUp: boolean;
  /** The counter did not grow, which the policy lets pass. */
  readonly isCounterStill: boolean;
}

/**
 * Verifies an assertion by the credential whose id it carries.
 * @throws PasskeyFault, each step its own.
 */
export function verifyAssertion(
  { response }: Pick<AuthenticationResponseJSON, "response">,
  stored: StoredCredential,
  expected: ExpectedAssertion,
): VerifiedAssertion {
  const clientData = readBase64url(response.clientDataJSON, "clientDataJSON");
  const dataBytes = readBase64url(response.authenticatorData, "authenticatorData");
  const signature = readBase64url(response.signature, "signature");
  checkClientData(clientData, "webauthn.get", expected);
  const data = readAuthenticatorData(dataBytes);
  if (data.attestedCredentialData !== null)
    throw new PasskeyFault("passkey-data-malformed", "a sign-in carries no attested credential data");
  checkAuthenticatorData(data, expected);
  const signed = Buffer.concat([dataBytes, hash("sha256", clientData, "buffer")]);
  const key = createPublicKey({ key: Buffer.from(stored.publicKey), format: "der", type: "spki" });
  if (!isSignedBy({ algorithm: stored.algorithm, key }, { signed, signature }))
    throw new PasskeyFault("passkey-signature-wrong", "it is not signed by the passkey's key");
  // After the signature: before it, whoever has no key would learn what is stored.
  if (data.backupEligible !== stored.backupEligible)
    throw new PasskeyFault(
      "passkey-eligibility-changed",
      "its backup eligibility is not as it was at registration",
    );
  const counts = data.signCount > 0 || stored.signCount > 0;
  const isCounterStill = counts && data.signCount <= stored.signCount;
  if (isCounterStill && expected.refuseStillCounter)
    throw new PasskeyFault(
      "passkey-counter-behind",
      `its counter is at ${data.signCount} and was at ${stored.signCount}: there may be a copy of it`,
    );
  const { signCount, userVerified, backedUp } = data;
  return { signCount, userVerified, backedUp, isCounterStill };
}
