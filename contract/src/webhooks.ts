/** Webhooks: what Lucchetto asks the application before a thing happens, and tells it after it happened. */
import { z } from "zod";
import { labelsOfApps } from "./routes/apps/account.ts";
import { id, lineOfText, timestamp } from "./text.ts";

const facts = z.object({
  id: id.nullable().describe("null: there is no account yet"),
  reference: z.string().nullable(),
  email: z.string().nullable(),
  emailVerified: z.boolean().describe("whether the address is proved; until it is, it may be anybody's"),
  username: z.string().nullable(),
  displayName: z.string().nullable(),
  labels: z.array(z.string()),
});

/** Asked before an account is created, changed or erased. */
export const consultQuestion = z
  .object({
    type: z.enum(["account.create", "account.change", "account.erase"]),
    at: timestamp,
    by: z.enum(["person", "operator"]),
    account: facts.describe("as it is; for account.create as it is to be"),
    change: z
      .object({
        displayName: z.string().nullable().optional(),
        username: z.string().nullable().optional(),
        email: z.string().optional(),
        language: z.string().nullable().optional(),
        labels: z.array(z.string()).optional(),
        reference: z.string().nullable().optional(),
        state: z.string().optional(),
        mustChangePassword: z.boolean().optional(),
      })
      .optional()
      .describe("for account.change: what is to be set"),
  })
  .meta({ id: "ConsultQuestion" });
/** What the application is asked before something happens. */
export type ConsultQuestion = z.output<typeof consultQuestion>;

/** The application lets it happen, filling in what it likes to (at account.create), or refuses with a sentence for the person. */
export const consultAnswer = z
  .discriminatedUnion("decision", [
    z.object({
      decision: z.literal("allow"),
      displayName: lineOfText(80).nullable().optional(),
      labels: labelsOfApps.optional(),
      reference: lineOfText(190).nullable().optional(),
    }),
    z.object({ decision: z.literal("refuse"), message: lineOfText(300) }),
  ])
  .meta({ id: "ConsultAnswer" });
/** What the application answers to a question. */
export type ConsultAnswer = z.output<typeof consultAnswer>;

/** What is told: a security event of an account, after it was committed. */
export const notice = z
  .object({
    type: z.string().describe("the journal's kind, such as account.registered"),
    timestamp,
    data: z.object({
      journalEntryId: id,
      accountId: id,
      reference: z.string().nullable(),
      sessionId: id.nullable(),
      actorId: id.nullable().describe("the account that did it, where it was somebody else"),
      appId: id.nullable().describe("the app by which it was done, such as your own"),
      outcome: z.enum(["done", "refused"]),
      reason: z.string().nullable(),
    }),
  })
  .meta({ id: "Notice" });
/** What the application is told after something happened. */
export type Notice = z.output<typeof notice>;
