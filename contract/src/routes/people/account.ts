import { z } from "zod";
import { defineRoute } from "../../route.ts";
import {
  accessKey,
  account,
  authenticator,
  journalEntry,
  passkey,
  proofWanted,
  session,
} from "../../shapes/people.ts";
import { codeText, id, lineOfText, passwordText, timestamp } from "../../text.ts";
import { registrationCredential } from "./passkey.ts";

/** Of the mails to a person. */
/** Of mails and people's pages. */
export const MAIL_LANGUAGES = ["en", "it"] as const;

export const language = z.enum(MAIL_LANGUAGES);

/** `token` only with deliver "token", and then no cookie. */
export const signedIn = z
  .object({
    outcome: z.literal("signed-in"),
    session,
    account,
    token: z.string().optional().describe("own token, only for deliver: token"),
    recoveryCodes: z.array(z.string()).optional().describe("with the first second factor, shown this once"),
    returnTo: z.string().optional().describe("where the person wanted to go when the link was asked for"),
  })
  .meta({ id: "SignedIn" });

export const deliver = z
  .enum(["cookie", "token"])
  .default("cookie")
  .describe("cookie: for browsers; token: in the reply, for programs");

/** A label: `a-z`, digits, `.`, `_`, `-`. */
export const label = z
  .string()
  .max(40, "Use at most 40 characters.")
  .regex(/^[a-z0-9][a-z0-9._-]*$/, "Use lower-case letters, digits, dot, dash and underscore.");

export const register = defineRoute({
  name: "register",
  method: "POST",
  path: "/v1/accounts",
  summary: "Register an account",
  access: "anybody",
  problems: [
    "identifier-taken",
    "refused-by-application",
    "application-unresponsive",
    "throttled",
    "too-busy",
  ],
  answersPasskey: true,
  body: z.strictObject({
    email: lineOfText(254).optional(),
    username: lineOfText(80).optional(),
    displayName: lineOfText(80).optional(),
    language: language.optional(),
    password: passwordText.optional(),
    challengeId: id.optional().describe("in the password's place: of a register challenge"),
    credential: registrationCredential.optional().describe("the passkey that a browser made for it"),
    returnTo: lineOfText(2000)
      .optional()
      .describe("a path of this service to go on to once the address is proved, in this browser"),
    deliver: deliver.optional(),
  }),
  replies: {
    201: signedIn,
    // With the second: a second factor is required and set up before there is a session, as in a sign-in.
    202: z.discriminatedUnion("outcome", [z.object({ outcome: z.literal("check-mail") }), proofWanted]),
  },
});

export const showAccount = defineRoute({
  name: "showAccount",
  method: "GET",
  path: "/v1/account",
  summary: "The signed-in account",
  access: "session",
  replies: { 200: account },
});

export const changeOwnAccount = defineRoute({
  name: "changeOwnAccount",
  method: "PATCH",
  path: "/v1/account",
  summary: "Change one's display name, username and language; null takes it away",
  access: "session",
  problems: [
    "identifier-taken",
    "reauthenticate",
    "refused-by-application",
    "application-unresponsive",
    "throttled",
    "too-busy",
  ],
  body: z.strictObject({
    displayName: lineOfText(80).nullable().optional(),
    username: lineOfText(80).nullable().optional(),
    language: language.nullable().optional().describe("of the mails; null: the site's"),
  }),
  replies: { 200: account },
});

export const changeEmail = defineRoute({
  name: "changeEmail",
  method: "POST",
  path: "/v1/account/email",
  summary: "Ask for another address: a link goes to it, and the reply is the same for a free and a taken one",
  access: "session",
  problems: [
    "reauthenticate",
    "identifier-taken",
    "mail-missing",
    "throttled",
    "refused-by-application",
    "application-unresponsive",
    "too-busy",
  ],
  body: z.strictObject({ email: lineOfText(254) }),
  replies: { 202: z.object({}) },
});

export const confirmEmail = defineRoute({
  name: "confirmEmail",
  method: "POST",
  path: "/v1/account/email/confirm",
  summary:
    "The code that the link to the new address showed in another browser; counts in the session that asked",
  access: "session",
  problems: ["proof-refused", "link-used", "link-unknown", "address-taken"],
  body: z.strictObject({ code: codeText.describe("six digits") }),
  replies: { 200: z.object({ email: z.string() }) },
});

/** Everything that is kept of a person, in one JSON document. */
export const ownData = z
  .object({
    exportedAt: timestamp,
    account,
    password: z
      .object({ scheme: z.string(), setAt: timestamp })
      .nullable()
      .describe("how it is kept; the record itself would help only whoever guesses"),
    authenticators: z.array(authenticator),
    passkeys: z.array(passkey),
    accessKeys: z.array(accessKey),
    sessions: z.array(session).describe("ended ones too, as long as they are kept"),
    journal: z.array(journalEntry),
    knownDevices: z
      .array(z.object({ createdAt: timestamp, lastUsedAt: timestamp }))
      .describe("browsers that the account is known to use, by a random mark in a cookie"),
    mails: z.array(
      z.object({ to: z.string(), subject: z.string(), state: z.string(), writtenAt: timestamp }),
    ),
  })
  .meta({ id: "OwnData" });

export const exportOwnData = defineRoute({
  name: "exportOwnData",
  method: "GET",
  path: "/v1/account/data",
  summary: "Everything that is kept of oneself",
  access: "session",
  problems: ["reauthenticate", "throttled"],
  replies: { 200: ownData },
});

export const eraseOwnAccount = defineRoute({
  name: "eraseOwnAccount",
  method: "DELETE",
  path: "/v1/account",
  summary:
    "Erase oneself, after reauthentication: the account is closed at once, its rows go after accounts.eraseAfter; until then a link to the proved address stops it",
  access: "session",
  problems: [
    "reauthenticate",
    "last-operator",
    "refused-by-application",
    "application-unresponsive",
    "throttled",
    "too-busy",
  ],
  replies: { 204: z.undefined() },
});
