import { z } from "zod";
import { defineRoute } from "../../route.ts";
import { journalHead, journalVerification, operatorJournalEntry } from "../../shapes/operators.ts";
import { id, lineOfText, listOf, page } from "../../text.ts";

export const listJournal = defineRoute({
  name: "listJournal",
  method: "GET",
  path: "/v1/operator/journal",
  summary: "Security events, newest first",
  access: "operator",
  query: z.strictObject({
    accountId: id.optional(),
    kind: lineOfText(60).optional(),
    requestId: lineOfText(60).optional(),
    ...page,
  }),
  replies: { 200: listOf(operatorJournalEntry) },
});

/** A head in one line: position and digest. */
const HEAD = /^[1-9]\d{0,14}\.[A-Za-z0-9_-]{43}$/;

export const showJournalHead = defineRoute({
  name: "showJournalHead",
  method: "GET",
  path: "/v1/operator/journal/head",
  summary: "Where the journal's chain ends",
  access: "operator",
  replies: { 200: journalHead },
});

export const verifyJournal = defineRoute({
  name: "verifyJournal",
  method: "GET",
  path: "/v1/operator/journal/verification",
  summary: "Whether the journal is as it was written, a part at a time",
  access: "operator",
  query: z.strictObject({
    after: z.coerce
      .number()
      .int()
      .min(0)
      .max(Number.MAX_SAFE_INTEGER)
      .default(0)
      .describe("position behind which it begins: `next` of the part before"),
    head: z
      .string()
      .regex(HEAD, "This is no head of a journal: a number, a period and 43 characters.")
      .optional()
      .describe("a head that was kept, looked for when the end is reached"),
  }),
  replies: { 200: journalVerification },
});
