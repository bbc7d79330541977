/**
 * What can be wrong with the answer of an authenticator: a problem for each step of Web Authentication Level 3, sections 7.1 and 7.2, for whoever
 * integrates. People are told one calm sentence for all of them.
 */
import type { ProblemKind } from "./problem-kind.ts";

const AGAIN = "Begin again with a new challenge.";
const BROWSER = "Send what `PublicKeyCredential.toJSON` gives, unchanged.";
const DEVICE =
  "Begin again; if it stays, the authenticator or the program between is at fault. Use another one.";

export const PASSKEY_FAULTS = {
  "passkey-challenge-unknown": {
    status: 400,
    title: "The challenge is not known here",
    meaning:
      "No such challenge was issued, or it was issued for something else, for another account, in another browser or in another sign-in.",
    remedy: `Answer the challenge where it was asked for, for what it was asked for. ${AGAIN}`,
  },
  "passkey-challenge-lapsed": {
    status: 410,
    title: "The challenge has lapsed",
    meaning: "A challenge is answered within five minutes, and once: a wrong answer spends it too.",
    remedy: AGAIN,
  },
  "passkey-unknown": {
    status: 401,
    title: "This passkey is not known here",
    meaning:
      "No account here has this passkey, it was removed, or it does not belong to the account that it names. Nothing more is told.",
    remedy: "Sign in in another way, and add the passkey on the account page.",
  },
  "passkey-not-listed": {
    status: 400,
    title: "This passkey was not asked for",
    meaning: "The options named the passkeys that may answer, and this is none of them (section 7.2).",
    remedy: `Answer with one of allowCredentials. ${AGAIN}`,
  },
  "passkey-registered-already": {
    status: 409,
    title: "This passkey is registered already",
    meaning: "An account has a passkey with this id. An id is unique over all accounts.",
    remedy: "Use it as it is, or make a new one.",
  },
  "passkey-malformed": {
    status: 400,
    title: "The credential cannot be read",
    meaning:
      "Its envelope or its client data is not what it claims to be: type, id and rawId, base64url without padding, JSON in UTF-8 with every member once.",
    remedy: BROWSER,
  },
  "passkey-ceremony-mismatch": {
    status: 400,
    title: "This answers something else",
    meaning:
      "The client data says webauthn.create where a sign-in was asked for, or webauthn.get at a registration.",
    remedy:
      "Call navigator.credentials.create for register and enrol, navigator.credentials.get for the rest.",
  },
  "passkey-challenge-mismatch": {
    status: 400,
    title: "Another challenge was answered",
    meaning: "The challenge in the client data is not the one that was issued under this id.",
    remedy: `Send the challengeId that came with the options. ${AGAIN}`,
  },
  "passkey-at-our-page": {
    status: 409,
    title: "Passkeys cannot be used at this application's own pages",
    meaning:
      "Its origin is neither within the relying party's domain nor listed, so that no browser would make or use one there.",
    remedy:
      "Lead people to the page that the detail names. Whoever operates Lucchetto can list the origin under passkeys.origins in lucchetto.yaml.",
  },
  "passkey-origin-mismatch": {
    status: 400,
    title: "It was made at another origin",
    meaning: "The browser says that the page stood at an origin that is none of those configured.",
    remedy:
      "Open the page at the public address. An origin of your own is listed under passkeys.origins in lucchetto.yaml.",
  },
  "passkey-framed": {
    status: 400,
    title: "It was made in a frame",
    meaning: "The page was framed by another origin, which is not allowed.",
    remedy:
      "Open the page by itself. A framing origin is listed under passkeys.topOrigins in lucchetto.yaml.",
  },
  "passkey-data-malformed": {
    status: 400,
    title: "The authenticator data is wrong",
    meaning: "Its length does not fit what its flags announce (section 6.1).",
    remedy: DEVICE,
  },
  "passkey-relying-party-mismatch": {
    status: 400,
    title: "It was made for another site",
    meaning: "The hash in the authenticator data is not that of this service's relying party id.",
    remedy: "Use the rpId that came with the options.",
  },
  "passkey-person-absent": {
    status: 400,
    title: "Nobody touched the authenticator",
    meaning: "The flag for the presence of a person (UP) is not set.",
    remedy: AGAIN,
  },
  "passkey-person-unverified": {
    status: 400,
    title: "The person was not verified",
    meaning:
      "Where a passkey stands alone the authenticator asks for a PIN, a fingerprint or a face (UV), and it did not.",
    remedy:
      "Set a PIN or the screen lock up on the device and try again; or sign in with the password, and use this one as the second step.",
  },
  "passkey-backup-state-wrong": {
    status: 400,
    title: "The backup state is impossible",
    meaning: "It says that it is backed up (BS), and that it cannot be (BE).",
    remedy: DEVICE,
  },
  "passkey-extensions-malformed": {
    status: 400,
    title: "The extensions cannot be read",
    meaning: "The authenticator announces extension outputs, and what follows is no CBOR map.",
    remedy: DEVICE,
  },
  "passkey-attestation-malformed": {
    status: 400,
    title: "The attestation object cannot be read",
    meaning: "It is no strict CBOR map of fmt, attStmt and authData.",
    remedy: BROWSER,
  },
  "passkey-credential-data-malformed": {
    status: 400,
    title: "The credential data is missing or cut",
    meaning: "The attested credential data is not there, or ends too early.",
    remedy: DEVICE,
  },
  "passkey-id-length-wrong": {
    status: 400,
    title: "The credential id has a wrong length",
    meaning: "A credential id has 1 to 1,023 bytes.",
    remedy: DEVICE,
  },
  "passkey-key-malformed": {
    status: 400,
    title: "The public key is wrong",
    meaning:
      "It is no COSE key of its algorithm: a point off its curve, a modulus of a wrong length, a member too many or missing.",
    remedy: DEVICE,
  },
  "passkey-algorithm-not-offered": {
    status: 400,
    title: "This algorithm was not offered",
    meaning: "The key's algorithm is none of pubKeyCredParams.",
    remedy: "Use an authenticator that knows one of those offered.",
  },
  "passkey-attestation-format-unknown": {
    status: 400,
    title: "This attestation format is not taken",
    meaning: "Taken are none, packed and fido-u2f.",
    remedy: 'Ask for attestation "none", as the options do unless configured otherwise.',
  },
  "passkey-attestation-statement-wrong": {
    status: 400,
    title: "The attestation statement is wrong",
    meaning: "It lacks a member, or does not fit the key that it is about.",
    remedy: DEVICE,
  },
  "passkey-attestation-signature-wrong": {
    status: 400,
    title: "The attestation is not signed",
    meaning: "Its signature is not by the key that it names.",
    remedy: DEVICE,
  },
  "passkey-certificate-wrong": {
    status: 400,
    title: "The attestation certificate is wrong",
    meaning: "It does not meet what the standard wants of an attestation certificate.",
    remedy: DEVICE,
  },
  "passkey-attestation-untrusted": {
    status: 400,
    title: "This make of authenticator is not trusted here",
    meaning: "This site takes only authenticators whose attestation ends in one of its trusted certificates.",
    remedy: "Use an authenticator that the site names.",
  },
  "passkey-eligibility-changed": {
    status: 400,
    title: "The passkey has changed",
    meaning: "Whether it can be backed up is not as it was when it was made. That cannot change.",
    remedy: "Sign in in another way, remove the passkey, and add it anew.",
  },
  "passkey-signature-wrong": {
    status: 401,
    title: "The signature is wrong",
    meaning: "It is not by this passkey's key over exactly what was sent.",
    remedy: AGAIN,
  },
  "passkey-counter-behind": {
    status: 401,
    title: "There may be a copy of this passkey",
    meaning: "Its counter did not grow since it was last used, as happens when somebody has made a copy.",
    remedy: "Sign in in another way, remove the passkey, and add it anew.",
  },
} as const satisfies Record<string, ProblemKind>;
