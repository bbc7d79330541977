import { z } from "zod";
import { defineRoute } from "../../route.ts";
import { accountDetail, operatorAccount } from "../../shapes/operators.ts";
import { account } from "../../shapes/people.ts";
import { id, lineOfText, listOf, page, passwordText } from "../../text.ts";
import { accountSearch, changes, landingPage, settable, somebodyNew } from "../apps/account.ts";
import { language } from "../people/account.ts";

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
    app: lineOfText(63).optional().describe("client id of the application to land at when it was accepted"),
    page: landingPage.optional(),
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
