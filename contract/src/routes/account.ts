import { z } from "zod";
import { defineRoute } from "../route.ts";
import {
  accessKey,
  account,
  accountDetail,
  authenticator,
  journalEntry,
  operatorAccount,
  passkey,
  proofWanted,
  session,
} from "../shapes.ts";
import { codeText, id, lineOfText, listOf, page, passwordText, timestamp } from "../text.ts";
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

/** Labels that mean something to the service itself: only an operator gives and takes them. */
export const BUILT_IN_LABELS: readonly string[] = ["operator", "auditor"];

const labels = z.array(label).max(20, "At most 20 labels.");
/** Labels that an application gives. */
export const labelsOfApps = z
  .array(label.refine((name) => !BUILT_IN_LABELS.includes(name), "Only an operator gives this label."))
  .max(20, "At most 20 labels.");

const reference = lineOfText(190).describe("the application's own id for the person");

/** What is said of somebody new by whoever adds or invites them. */
export const somebodyNew = {
  username: lineOfText(80).optional(),
  displayName: lineOfText(80).optional(),
  labels: labels.optional(),
  reference: reference.optional(),
};

/** What is set on somebody else's account. */
export const settable = {
  labels: labels.optional().describe("all of them"),
  reference: reference.nullable().optional().describe("null takes it away"),
  state: z.enum(["active", "suspended"]).optional(),
};

/** A change that changes something. */
export function changes<Shape extends z.core.$ZodLooseShape>(shape: Shape) {
  return z
    .strictObject(shape)
    .refine((change) => Object.keys(change).length > 0, "Say what is to be changed.");
}

/** How accounts are looked for. */
export const accountSearch = lineOfText(254)
  .optional()
  .describe("the beginning of an e-mail address, username or display name; or a whole id or reference");

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

export const inviteAccount = defineRoute({
  name: "inviteAccount",
  method: "POST",
  path: "/v1/operator/invitations",
  summary: "Invite somebody by mail; inviting an invited one again sends a new link",
  access: "operator",
  problems: [
    "identifier-taken",
    "mail-missing",
    "refused-by-application",
    "application-unresponsive",
    "throttled",
    "too-busy",
  ],
  body: z.strictObject({
    email: lineOfText(254),
    ...somebodyNew,
    language: language.optional(),
  }),
  replies: { 201: operatorAccount, 200: operatorAccount },
});

export const addAccount = defineRoute({
  name: "addAccount",
  method: "POST",
  path: "/v1/operator/accounts",
  summary: "Add an account",
  access: "operator",
  problems: [
    "identifier-taken",
    "refused-by-application",
    "application-unresponsive",
    "throttled",
    "too-busy",
  ],
  body: z.strictObject({
    email: lineOfText(254).optional(),
    ...somebodyNew,
    password: passwordText.optional().describe("without one nobody can sign in by password yet"),
    mustChangePassword: z
      .boolean()
      .optional()
      .describe("want a new password at the first sign-in; true unless said otherwise"),
  }),
  replies: { 201: operatorAccount },
});

export const eraseAccount = defineRoute({
  name: "eraseAccount",
  method: "DELETE",
  path: "/v1/operator/accounts/:id",
  summary: "Erase an account: all its rows go, the journal keeps entries that name nobody",
  access: "operator",
  problems: ["last-operator", "refused-by-application", "application-unresponsive", "throttled", "too-busy"],
  params: z.strictObject({ id }),
  replies: { 204: z.undefined() },
});

/** Why an operator does it: for the journal and the other operators. */
const reason = lineOfText(200).describe("why; kept in the journal and told to the other operators");

export const removeSecondFactor = defineRoute({
  name: "removeSecondFactor",
  method: "POST",
  path: "/v1/operator/accounts/:id/remove-factor",
  summary:
    "Remove the second factor of somebody who lost everything; the next sign-in wants password and mailed proof",
  access: "operator",
  problems: ["second-factor-missing"],
  params: z.strictObject({ id }),
  body: z.strictObject({ reason }),
  replies: { 200: account },
});

export const correctEmail = defineRoute({
  name: "correctEmail",
  method: "POST",
  path: "/v1/operator/accounts/:id/correct-email",
  summary: "Give an account another address whose owner lost theirs; it has to be proved",
  access: "operator",
  problems: ["identifier-taken"],
  params: z.strictObject({ id }),
  body: z.strictObject({ email: lineOfText(254), reason }),
  replies: { 200: account },
});

export const giveFirstPassword = defineRoute({
  name: "giveFirstPassword",
  method: "POST",
  path: "/v1/operator/accounts/:id/first-password",
  summary: "Give somebody a first password: enough by itself, once, for 7 days, and then a new one is wanted",
  access: "operator",
  problems: ["throttled", "too-busy"],
  params: z.strictObject({ id }),
  body: z.strictObject({ password: passwordText, reason }),
  replies: { 200: account },
});

export const listAccounts = defineRoute({
  name: "listAccounts",
  method: "GET",
  path: "/v1/operator/accounts",
  summary: "Accounts, newest first",
  access: "operator",
  query: z.strictObject({
    search: accountSearch,
    scheme: z
      .string()
      .max(190)
      .optional()
      .describe(
        "a scheme ($scrypt$ln=15,r=8,p=3), an algorithm (scrypt), or `older`: any but the configured one",
      ),
    secondFactor: z
      .enum(["present", "none", "missing"])
      .optional()
      .describe("active accounts that have one, have none, or must have one and have none"),
    ...page,
  }),
  replies: { 200: listOf(operatorAccount) },
});

export const showAccountDetail = defineRoute({
  name: "showAccountDetail",
  method: "GET",
  path: "/v1/operator/accounts/:id",
  summary: "One account: as shown, as stored, its password record taken apart",
  access: "operator",
  params: z.strictObject({ id }),
  replies: { 200: accountDetail },
});

export const changeAccount = defineRoute({
  name: "changeAccount",
  method: "PATCH",
  path: "/v1/operator/accounts/:id",
  summary: "Set an account's labels, reference or state; suspending ends its sessions at once",
  access: "operator",
  problems: [
    "identifier-taken",
    "last-operator",
    "refused-by-application",
    "application-unresponsive",
    "throttled",
    "too-busy",
  ],
  params: z.strictObject({ id }),
  body: changes({
    ...settable,
    mustChangePassword: z.boolean().optional().describe("want a new password at the next sign-in"),
  }),
  replies: { 200: account },
});
