import { z } from "zod";
/** Passkeys: the JSON forms of Web Authentication Level 3 (sections 5.1, 5.4 and 5.5) as browsers read and write them. */
import { defineRoute } from "../../route.ts";
import { passkey } from "../../shapes/people.ts";
import { id, lineOfText, timestamp } from "../../text.ts";

/** Bytes in base64url without padding; what they must be is judged where they are read. */
const base64url = (max: number) =>
  z.string().max(max, "This is too long.").describe("base64url without padding");

/** Of the longest credential id, 1,023 bytes. */
const credentialId = base64url(1_364);

const envelope = {
  id: credentialId,
  rawId: credentialId,
  type: z.string().max(40).describe("public-key"),
  authenticatorAttachment: z.string().max(40).nullish(),
  clientExtensionResults: z
    .looseObject({})
    .optional()
    .describe("none is asked for, so what it says has no effect"),
};

/** `RegistrationResponseJSON`: what `PublicKeyCredential.toJSON` gives after `navigator.credentials.create`. */
export const registrationCredential = z
  .looseObject({
    ...envelope,
    response: z.looseObject({
      clientDataJSON: base64url(12_000),
      attestationObject: base64url(60_000),
      transports: z.array(z.string().max(60)).max(20).optional(),
    }),
  })
  .meta({ id: "RegistrationCredential" });

/** A new passkey, in JSON (Web Authentication Level 3 section 5.1). */
export type RegistrationCredential = z.output<typeof registrationCredential>;

/** `AuthenticationResponseJSON`: what `PublicKeyCredential.toJSON` gives after `navigator.credentials.get`. */
export const assertionCredential = z
  .looseObject({
    ...envelope,
    response: z.looseObject({
      clientDataJSON: base64url(12_000),
      authenticatorData: base64url(12_000),
      signature: base64url(3_000),
      userHandle: base64url(200).nullish(),
    }),
  })
  .meta({ id: "AssertionCredential" });

/** An authenticator's answer to a challenge, in JSON (Web Authentication Level 3 section 5.1). */
export type AssertionCredential = z.output<typeof assertionCredential>;

/** A passkey as a proof. */
export const passkeyProof = z.strictObject({
  type: z.literal("passkey"),
  challengeId: id,
  credential: assertionCredential,
});

const descriptor = z.object({
  type: z.literal("public-key"),
  id: z.string(),
  transports: z.array(z.string()).optional(),
});

const userVerification = z.enum(["required", "preferred"]);

/** `PublicKeyCredentialCreationOptionsJSON`. */
export const creationOptions = z
  .object({
    rp: z.object({ id: z.string(), name: z.string() }),
    user: z.object({ id: z.string(), name: z.string(), displayName: z.string() }),
    challenge: z.string(),
    pubKeyCredParams: z.array(z.object({ type: z.literal("public-key"), alg: z.number().int() })),
    timeout: z.number().int().describe("milliseconds"),
    excludeCredentials: z.array(descriptor),
    authenticatorSelection: z.object({
      residentKey: z.enum(["required", "preferred"]),
      requireResidentKey: z.boolean(),
      userVerification,
    }),
    attestation: z.enum(["none", "direct"]),
  })
  .meta({ id: "CreationOptions" });

/** Options for creating a passkey, in JSON (Web Authentication Level 3 section 5.4). */
export type CreationOptions = z.output<typeof creationOptions>;

/** `PublicKeyCredentialRequestOptionsJSON`. */
export const requestOptions = z
  .object({
    challenge: z.string(),
    timeout: z.number().int().describe("milliseconds"),
    rpId: z.string(),
    allowCredentials: z.array(descriptor).describe("empty: any that the browser has for this site"),
    userVerification,
  })
  .meta({ id: "RequestOptions" });

/** Options for using a passkey, in JSON (Web Authentication Level 3 section 5.5). */
export type RequestOptions = z.output<typeof requestOptions>;

/** What is begun: an account with a passkey, a passkey for an account, a sign-in, a proof inside a session. */
export const passkeyPurpose = z.enum(["register", "enrol", "sign-in", "reauthenticate"]);

/** What a challenge is for. */
export type PasskeyPurpose = z.output<typeof passkeyPurpose>;

export const beginPasskey = defineRoute({
  name: "beginPasskey",
  method: "POST",
  path: "/v1/passkey-challenges",
  summary:
    "A challenge and the options for the browser; answered within five minutes, once, where it was asked for. A sign-in in progress is known by its cookie or by Authorization: Bearer lci_…",
  access: "anybody",
  problems: ["not-signed-in", "reauthenticate", "proof-refused", "throttled", "passkey-at-our-page"],
  body: z.strictObject({
    purpose: passkeyPurpose,
    identifier: lineOfText(254)
      .optional()
      .describe(
        "sign-in: whose passkeys the browser may offer; register: the name to be kept beside the passkey",
      ),
  }),
  replies: {
    201: z.object({
      challengeId: id,
      options: z
        .union([creationOptions, requestOptions])
        .describe("for parseCreationOptionsFromJSON (register, enrol) or parseRequestOptionsFromJSON"),
      expiresAt: timestamp,
    }),
  },
});

export const listPasskeys = defineRoute({
  name: "listPasskeys",
  method: "GET",
  path: "/v1/account/passkeys",
  summary: "One's own passkeys, the first one first; never their keys",
  access: "session",
  replies: {
    200: z.object({
      items: z.array(passkey),
      relyingPartyId: z.string(),
      hasPassword: z.boolean().describe("whether the account has a password besides"),
      userHandle: z
        .string()
        .nullable()
        .describe("base64url; for the browser's signal calls. null: there was never a passkey"),
    }),
  },
});

export const addPasskey = defineRoute({
  name: "addPasskey",
  method: "POST",
  path: "/v1/account/passkeys",
  summary:
    "Add the passkey that a browser made for an enrol challenge (needs a proof of the last ten minutes); the first second factor brings recovery codes",
  access: "session",
  problems: ["reauthenticate", "keys-missing"],
  answersPasskey: true,
  body: z.strictObject({
    challengeId: id,
    credential: registrationCredential,
    name: lineOfText(80).optional().describe("how the person calls it"),
  }),
  replies: {
    201: z.object({
      passkey,
      recoveryCodes: z.array(z.string()).optional().describe("with the first second factor, shown this once"),
      token: z.string().optional().describe("the session's new own token, for programs"),
    }),
  },
});

export const renamePasskey = defineRoute({
  name: "renamePasskey",
  method: "PATCH",
  path: "/v1/account/passkeys/:id",
  summary: "Call a passkey something else",
  access: "session",
  params: z.strictObject({ id }),
  body: z.strictObject({ name: lineOfText(80) }),
  replies: { 200: passkey },
});

export const removePasskey = defineRoute({
  name: "removePasskey",
  method: "DELETE",
  path: "/v1/account/passkeys/:id",
  summary:
    "Remove a passkey, never the last way in; with the last second factor the recovery codes go as well (needs a proof of the last ten minutes)",
  access: "session",
  problems: ["reauthenticate", "last-way-in", "password-too-short-alone"],
  params: z.strictObject({ id }),
  replies: { 204: z.undefined() },
});
