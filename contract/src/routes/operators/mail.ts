import { z } from "zod";
import { defineRoute } from "../../route.ts";
import { id, lineOfText, listOf, page, timestamp } from "../../text.ts";

/** What can become of a mail. */
export const MAIL_STATES = ["waiting", "sent", "given-up", "caught", "held"] as const;

const mailState = z
  .enum(MAIL_STATES)
  .describe("caught: in the built-in mailbox; held: over a limit, so it went to nobody");

export const mailboxItem = z
  .object({
    id,
    to: z.string(),
    subject: z.string(),
    sentAt: timestamp.describe("when it was written"),
    state: mailState,
    text: z.string().describe("empty in production, and once it was sent"),
    html: z.string(),
    links: z.array(z.string()),
    template: z.string(),
    language: z.string(),
    heldBecause: z.string().nullable().describe("address-limit, too-many-links or notice-limit"),
    tries: z.number().int(),
    nextTryAt: timestamp.nullable(),
    lastTryAt: timestamp.nullable(),
    lastAnswer: z.string().nullable().describe("what the mail server said, or what went wrong"),
  })
  .meta({ id: "MailboxItem" });

/** A mail as operators see it. */
export type MailboxItem = z.output<typeof mailboxItem>;

/** A mail with the whole message (RFC 5322) as it goes over the wire. */
export const mailSource = mailboxItem.extend({ source: z.string() }).meta({ id: "MailSource" });

/** A mail with its source as it goes over the wire (RFC 5322). */
export type MailSource = z.output<typeof mailSource>;

export const mailQuery = z.strictObject({
  state: mailState.optional(),
  to: lineOfText(254).optional().describe("to this address alone, as it stands in the account"),
  ...page,
});

export const listMailbox = defineRoute({
  name: "listMailbox",
  method: "GET",
  path: "/v1/operator/mailbox",
  summary: "Mail, newest first: what was sent, what waits, what the built-in mailbox caught",
  access: "operator",
  query: mailQuery,
  replies: { 200: listOf(mailboxItem) },
});

export const showMail = defineRoute({
  name: "showMail",
  method: "GET",
  path: "/v1/operator/mailbox/:id",
  summary: "One mail with its source; bodies only in development",
  access: "operator",
  params: z.strictObject({ id }),
  replies: { 200: mailSource },
});

export const repeatMail = defineRoute({
  name: "repeatMail",
  method: "POST",
  path: "/v1/operator/mailbox/:id/repeat",
  summary: "Try one again at once that waits or was given up",
  access: "operator",
  problems: ["mail-gone"],
  params: z.strictObject({ id }),
  replies: { 200: mailboxItem },
});
