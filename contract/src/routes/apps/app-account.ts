import { z } from "zod";
/** Calls of an application's own server with the right `accounts`: what it does with accounts, and never what operators do. */
import { defineRoute } from "../../route.ts";
import { account } from "../../shapes/people.ts";
import { id, lineOfText, listOf, page } from "../../text.ts";
import { language } from "../people/account.ts";
import { accountSearch, changes, labelsOfApps, landingPage, settable, somebodyNew } from "./account.ts";

const labels = labelsOfApps.optional().describe("never a built-in one");

export const findAccountsByApp = defineRoute({
  name: "findAccountsByApp",
  method: "GET",
  path: "/v1/app/accounts",
  summary: "Accounts, newest first, without those of operators and auditors",
  access: "app",
  right: "accounts",
  problems: ["throttled"],
  query: z.strictObject({
    search: accountSearch,
    ...page,
  }),
  replies: { 200: listOf(account) },
});

export const addAccountByApp = defineRoute({
  name: "addAccountByApp",
  method: "POST",
  path: "/v1/app/accounts",
  summary: "Add an account without a password: its owner sets one by a mailed link",
  access: "app",
  right: "accounts",
  problems: ["identifier-taken", "throttled"],
  body: z.strictObject({
    email: lineOfText(254).optional(),
    ...somebodyNew,
    labels,
  }),
  replies: { 201: account },
});

export const inviteAccountByApp = defineRoute({
  name: "inviteAccountByApp",
  method: "POST",
  path: "/v1/app/invitations",
  summary: "Invite somebody by mail; inviting an invited one again sends a new link",
  access: "app",
  right: "accounts",
  problems: ["identifier-taken", "mail-missing", "account-of-operators", "throttled"],
  body: z.strictObject({
    email: lineOfText(254),
    ...somebodyNew,
    labels,
    language: language.optional(),
    page: landingPage.optional(),
  }),
  replies: { 201: account, 200: account },
});

export const changeAccountByApp = defineRoute({
  name: "changeAccountByApp",
  method: "PATCH",
  path: "/v1/app/accounts/:id",
  summary: "Set an account's labels, reference or state; suspending ends its sessions at once",
  access: "app",
  right: "accounts",
  problems: ["identifier-taken", "account-of-operators", "suspended-by-operator", "throttled"],
  params: z.strictObject({ id }),
  body: changes({ ...settable, labels }),
  replies: { 200: account },
});
