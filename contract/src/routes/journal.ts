import { z } from "zod";
import { defineRoute } from "../route.ts";
import { operatorJournalEntry } from "../shapes.ts";
import { id, lineOfText, listOf, page } from "../text.ts";

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
