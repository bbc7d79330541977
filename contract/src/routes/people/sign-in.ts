import { z } from "zod";
import type { CodeProofName } from "../../proofs.ts";
import { PROOFS } from "../../proofs.ts";
import { defineRoute } from "../../route.ts";
import { proofWanted, wantedProof } from "../../shapes/people.ts";
import { codeText, id, lineOfText, notMine, passwordText, timestamp } from "../../text.ts";
import { deliver, signedIn } from "./account.ts";
import { passkeyProof, registrationCredential } from "./passkey.ts";

/** A first proof. */
export const proof = z
  .discriminatedUnion("type", [
    z.strictObject({
      type: z.literal("password"),
      identifier: lineOfText(254).describe("e-mail address or username"),
      password: passwordText,
    }),
    passkeyProof,
  ])
  .meta({ id: "Proof" });

/** A first proof: it says who signs in. */
export type Proof = z.output<typeof proof>;

const codeProof = <Name extends CodeProofName>(name: Name) =>
  z.strictObject({ type: z.literal(name), code: codeText.describe(PROOFS[name].code) });

/** Second proofs that are typed. */
export const codeProofs = [codeProof("totp"), codeProof("recovery-code")] as const;

/** The password, beside another proof: it is known already who it is. */
export const passwordProof = z.strictObject({ type: z.literal("password"), password: passwordText });

/** What moves a sign-in in progress on. */
export const nextProof = z
  .discriminatedUnion("type", [
    z.strictObject({
      type: z.literal("mail-link"),
      secret: z.string().max(100, "This is not the secret of a link.").describe("lcl_…"),
      notMine: notMine.optional(),
    }),
    z.strictObject({
      type: z.literal("mail-code"),
      code: z
        .string()
        .max(20, "The code has six digits.")
        .describe("six digits, as the link shows them in another browser"),
      password: passwordText
        .optional()
        .describe(
          "the one from the registration: in the browser that registered, what was set up there stays when this proves the address for the first time",
        ),
    }),
    passkeyProof,
    ...codeProofs,
    passwordProof,
    z.strictObject({
      type: z.literal("enrol-totp"),
      id: id.describe("as POST /v1/account/totp gave it"),
      code: codeText.describe("the first one"),
    }),
    z.strictObject({
      type: z.literal("enrol-passkey"),
      challengeId: id.describe("of an enrol challenge"),
      credential: registrationCredential,
    }),
    z.strictObject({
      type: z.literal("new-password"),
      password: passwordText.describe("in the place of the one that an operator wants changed"),
    }),
  ])
  .meta({ id: "NextProof" });

/** A proof shown in a sign-in in progress or to reauthenticate. */
export type NextProof = z.output<typeof nextProof>;

export const signIn = defineRoute({
  name: "signIn",
  method: "POST",
  path: "/v1/sign-in",
  summary: "Begin a sign-in with a first proof",
  access: "anybody",
  problems: [
    "sign-in-refused",
    "account-suspended",
    "account-closed",
    "email-unverified",
    "operator-needed",
    "sign-in-lapsed",
    "throttled",
    "too-busy",
  ],
  answersPasskey: true,
  body: z.strictObject({
    proof,
    remember: z.boolean().optional().describe("keep me signed in on this device"),
    deliver: deliver.optional(),
  }),
  replies: { 201: signedIn, 202: proofWanted },
});

export const addProof = defineRoute({
  name: "addProof",
  method: "POST",
  path: "/v1/sign-in/proof",
  summary: "Go on with a sign-in in progress, known by its cookie or by Authorization: Bearer lci_…",
  access: "anybody",
  problems: [
    "proof-refused",
    "sign-in-lapsed",
    "operator-needed",
    "link-unknown",
    "link-used",
    "link-superseded",
    "link-expired",
    "address-taken",
    "enrolment-lapsed",
    "not-found",
    "keys-missing",
    "refused-by-application",
    "application-unresponsive",
    "throttled",
    "too-busy",
  ],
  answersPasskey: true,
  body: z.strictObject({ proof: nextProof }),
  replies: { 201: signedIn, 202: proofWanted },
});

export const showSignIn = defineRoute({
  name: "showSignIn",
  method: "GET",
  path: "/v1/sign-in",
  summary: "The sign-in in progress of this browser: what it waits for",
  access: "anybody",
  problems: ["sign-in-lapsed"],
  replies: {
    200: z.object({
      wanted: z.array(wantedProof),
      expiresAt: timestamp,
      registeredHere: z
        .boolean()
        .describe(
          "whether this browser registered the account, whose address is yet to be proved: beside a code from the mail the password from the registration then keeps what was set up",
        ),
    }),
  },
});
