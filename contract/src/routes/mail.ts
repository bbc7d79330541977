import { z } from "zod";
import { defineRoute } from "../route.ts";
import { id, lineOfText, listOf, page, passwordText, timestamp } from "../text.ts";

/** The secret of a link stands in the body, never in an address. */
const secret = z.string().max(100).describe("lcl_…, from the link's fragment");

export const mailboxItem = z
  .object({
    id,
    to: z.string(),
    subject: z.string(),
    sentAt: timestamp,
    state: z.enum(["caught", "held"]).describe("held: over a limit, so it went to nobody"),
    text: z.string(),
    html: z.string(),
    links: z.array(z.string()),
  })
  .meta({ id: "MailboxItem" });
export type MailboxItem = z.output<typeof mailboxItem>;

export const askForLink = defineRoute({
  name: "askForLink",
  method: "POST",
  path: "/v1/mail-links",
  summary: "Ask for a link by mail; the reply is the same whoever is named",
  access: "anybody",
  body: z.strictObject({
    purpose: z.enum(["reset"]),
    identifier: lineOfText(254).describe("e-mail address or username"),
  }),
  replies: { 202: z.object({}) },
});

export const lookAtLink = defineRoute({
  name: "lookAtLink",
  method: "POST",
  path: "/v1/mail-links/look",
  summary: "What a mailed link is for; changes nothing",
  access: "anybody",
  body: z.strictObject({ secret }),
  replies: { 200: z.object({ purpose: z.string(), name: z.string(), expiresAt: timestamp }) },
});

export const redeemLink = defineRoute({
  name: "redeemLink",
  method: "POST",
  path: "/v1/mail-links/redeem",
  summary: "Use a mailed link: sets the new password, ends all sessions, and signs nobody in",
  access: "anybody",
  body: z.strictObject({ secret, password: passwordText }),
  replies: { 200: z.object({ outcome: z.literal("password-set") }) },
});

export const listMailbox = defineRoute({
  name: "listMailbox",
  method: "GET",
  path: "/v1/operator/mailbox",
  summary: "Mail that the built-in mailbox caught, newest first",
  access: "operator",
  query: z.strictObject(page),
  replies: { 200: listOf(mailboxItem) },
});

export const listDevelopmentMailbox = defineRoute({
  name: "listDevelopmentMailbox",
  method: "GET",
  path: "/v1/development/mailbox",
  summary: "The same without signing in",
  access: "development",
  query: z.strictObject(page),
  replies: { 200: listOf(mailboxItem) },
});
