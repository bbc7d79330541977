import { z } from "zod";
import { defineRoute } from "../../route.ts";
import { id, listOf } from "../../text.ts";
import { mailQuery, mailSource, mailboxItem } from "../operators/mail.ts";

export const listDevelopmentMailbox = defineRoute({
  name: "listDevelopmentMailbox",
  method: "GET",
  path: "/v1/development/mailbox",
  summary: "The same without signing in",
  access: "development",
  query: mailQuery,
  replies: { 200: listOf(mailboxItem) },
});

export const showDevelopmentMail = defineRoute({
  name: "showDevelopmentMail",
  method: "GET",
  path: "/v1/development/mailbox/:id",
  summary: "One mail with its source, without signing in",
  access: "development",
  params: z.strictObject({ id }),
  replies: { 200: mailSource },
});
