import { z } from "zod";
import { visitedApp } from "../../page-state.ts";
import { FORMER_PROOFS } from "../../proofs.ts";
import { defineRoute } from "../../route.ts";
import { id, lineOfText, notMine, passwordText, timestamp } from "../../text.ts";
import { deliver } from "./account.ts";
import { passkeyProof, registrationCredential } from "./passkey.ts";
import { codeProofs } from "./sign-in.ts";

/** The secret of a link stands in the body, never in an address. */
export const linkSecret = z
  .string()
  .max(100, "This is not the secret of a link.")
  .describe("lcl_…, from the link's fragment");

export const askForLink = defineRoute({
  name: "askForLink",
  method: "POST",
  path: "/v1/mail-links",
  summary: "Ask for a link by mail; the reply is the same whoever is named",
  access: "anybody",
  problems: ["throttled", "mail-missing"],
  body: z.strictObject({
    purpose: z.enum(["reset", "sign-in", "verify"]),
    identifier: lineOfText(254).describe("e-mail address or username"),
    returnTo: lineOfText(2000)
      .optional()
      .describe("a path of this service to go on to, in the browser that asks"),
    remember: z.boolean().optional().describe("for sign-in: keep me signed in on this device"),
    deliver: deliver.optional(),
  }),
  replies: {
    202: z.object({
      token: z.string().optional().describe("for sign-in: lci_…, only for deliver: token"),
    }),
  },
});

/** Something that was set up in an account before its address was proved. */
export const setUpThing = z
  .object({
    kind: z.enum(["authenticator", "passkey", "recovery-codes", "access-key", "labels", "reference"]),
    id: z.string().describe("to be named in `notMine`"),
    name: z.string().nullable(),
    at: timestamp.nullable().describe("when it was set up"),
  })
  .meta({ id: "SetUpThing" });

/** Something set up in an account that a first verification would remove or keep. */
export type SetUpThing = z.output<typeof setUpThing>;

/** What mailed links are for. */
export const MAILED_LINKS = [
  "verify",
  "reset",
  "sign-in",
  "invite",
  "change-email",
  "undo-change",
  "undo-factor",
  "undo-erase",
] as const;

/** What a mailed link is for, and what using it takes. */
export const linkLook = z
  .object({
    purpose: z.enum(MAILED_LINKS),
    name: z.string().describe("whose it is"),
    expiresAt: timestamp,
    here: z
      .boolean()
      .describe("whether it was asked for in this browser; for a change of address, in this session"),
    wants: z
      .enum(["nothing", "new-password", "any-password", "thing-from-before", "code"])
      .describe(
        "what using it takes. any-password: the one from the registration, or a new one. thing-from-before: one of `shows`, from before the change. code: it is exchanged for one, to be typed where it was asked for",
      ),
    shows: z
      .array(z.enum(FORMER_PROOFS))
      .describe("what may be shown as a thing from before the change; any one is enough"),
    setUp: z
      .object({ stays: z.array(setUpThing), goes: z.array(setUpThing) })
      .nullable()
      .describe(
        "where using the link proves the address for the first time: what becomes of all that was set up before. All stays if one of `shows` is shown",
      ),
    returnTo: z
      .string()
      .nullable()
      .describe(
        "the path of this service that was given when the link was asked for; null elsewhere than in that browser",
      ),
    app: visitedApp
      .nullable()
      .describe(
        "the application whose authorization request waits behind that path; `home` is where it is entered anew for the wanted page",
      ),
    newEmail: z.string().nullable().describe("the address that the account gets"),
    begunIn: z
      .object({ userAgent: z.string().nullable(), network: z.string().nullable(), at: timestamp })
      .nullable()
      .describe("where a sign-in was begun"),
  })
  .meta({ id: "LinkLook" });

/** What a mailed link is for and what it would do, without redeeming it. */
export type LinkLook = z.output<typeof linkLook>;

export const lookAtLink = defineRoute({
  name: "lookAtLink",
  method: "POST",
  path: "/v1/mail-links/look",
  summary: "What a mailed link is for; changes nothing",
  access: "anybody",
  problems: ["link-unknown", "link-used", "link-superseded", "link-expired"],
  body: z.strictObject({ secret: linkSecret }),
  replies: { 200: linkLook },
});

export const redeemLink = defineRoute({
  name: "redeemLink",
  method: "POST",
  path: "/v1/mail-links/redeem",
  summary: "Use a mailed link; signs nobody in",
  access: "anybody",
  problems: [
    "link-unknown",
    "link-used",
    "link-superseded",
    "link-expired",
    "address-taken",
    "identifier-taken",
    "password-wanted",
    "earlier-proof-required",
    "refused-by-application",
    "application-unresponsive",
    "throttled",
    "too-busy",
  ],
  answersPasskey: true,
  body: z.strictObject({
    secret: linkSecret,
    password: passwordText.optional().describe("a new one"),
    challengeId: id.optional().describe("invite: of a register challenge, in the password's place"),
    credential: registrationCredential.optional().describe("the passkey that a browser made for it"),
    notMine: notMine.optional(),
    present: z
      .union([passwordText, passkeyProof, ...codeProofs])
      .optional()
      .describe(
        "something set up before the address was proved, such as the password from the registration, so that all of it stays; or, to undo a change from a browser that was not known before it, the password that stood then, or a proof of a passkey (of a sign-in challenge without a name), authenticator or recovery code from before",
      ),
  }),
  replies: {
    200: z.discriminatedUnion("outcome", [
      z.object({ outcome: z.literal("password-set") }),
      z.object({
        outcome: z.literal("email-verified"),
        recoveryCodes: z
          .array(z.string())
          .optional()
          .describe("of an account that was registered with a passkey, shown this once"),
      }),
      z.object({
        outcome: z.literal("invitation-accepted"),
        recoveryCodes: z.array(z.string()).optional().describe("with a passkey, shown this once"),
      }),
      z.object({ outcome: z.literal("email-changed"), email: z.string() }),
      z.object({ outcome: z.literal("change-undone"), email: z.string() }),
      z.object({ outcome: z.literal("factor-undone") }),
      z.object({ outcome: z.literal("erasing-stopped") }),
      z.object({
        outcome: z.literal("code"),
        code: z.string().describe("to be typed where it was asked for, and nowhere else"),
        expiresAt: timestamp,
      }),
    ]),
  },
});
