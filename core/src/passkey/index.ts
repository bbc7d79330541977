/** Passkeys: both ceremonies of Web Authentication Level 3, step by step, without I/O. */
export { ATTESTATION_FORMATS, type AttestationFormat } from "./attestation.ts";
export * from "./assertion.ts";
export { COSE_ALGORITHM, type CoseAlgorithm } from "./cose-key.ts";
export {
  type AuthenticationResponseJSON,
  readEnvelope,
  type RegistrationResponseJSON,
} from "./credential.ts";
export { readBase64url } from "./base64url.ts";
export { PasskeyFault, type PasskeyFaultCode } from "./fault.ts";
export * from "./options.ts";
export * from "./registration.ts";
