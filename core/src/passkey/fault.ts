/**
 * What can be wrong with the answer of an authenticator: one slug per step of the ceremonies of Web Authentication Level 3
 * (sections 7.1 and 7.2), so that whoever integrates sees which step it was. People read one calm sentence for all of them.
 */

export type PasskeyFaultCode =
  /** The envelope or the client data is not what it claims to be. */
  | "passkey-malformed"
  | "passkey-ceremony-mismatch"
  | "passkey-challenge-mismatch"
  | "passkey-origin-mismatch"
  | "passkey-framed"
  | "passkey-data-malformed"
  | "passkey-relying-party-mismatch"
  | "passkey-person-absent"
  | "passkey-person-unverified"
  | "passkey-backup-state-wrong"
  | "passkey-extensions-malformed"
  | "passkey-attestation-malformed"
  | "passkey-credential-data-malformed"
  | "passkey-id-length-wrong"
  | "passkey-key-malformed"
  | "passkey-algorithm-not-offered"
  | "passkey-attestation-format-unknown"
  | "passkey-attestation-statement-wrong"
  | "passkey-attestation-signature-wrong"
  | "passkey-certificate-wrong"
  | "passkey-attestation-untrusted"
  | "passkey-eligibility-changed"
  | "passkey-signature-wrong"
  | "passkey-counter-behind";

/** A step of the verification failed. `message` is for the developer, and repeats nothing secret. */
export class PasskeyFault extends Error {
  override readonly name = "PasskeyFault";
  readonly code: PasskeyFaultCode;

  constructor(code: PasskeyFaultCode, message: string) {
    super(message);
    this.code = code;
  }
}
