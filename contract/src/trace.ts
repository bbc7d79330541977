/** What the service did for one request, as it was watched in development. */
import { z } from "zod";
import { recordSegment } from "./shapes/operators.ts";
import { timestamp } from "./text.ts";

const milliseconds = z.number().describe("milliseconds, to a tenth");

/** Schema of `RequestTrace`. */
export const requestTrace = z
  .object({
    requestId: z.string(),
    at: timestamp,
    method: z.string(),
    path: z.string().describe("without its query, where secrets may be"),
    status: z.number().int().describe("0: it was not answered"),
    milliseconds,
    by: z.enum(["browser", "app", "program"]),
    outcome: z
      .string()
      .nullable()
      .describe("what the reply says came of it: an outcome, a problem's code, or where it leads"),
    checks: z
      .array(
        z.object({
          what: z.string().describe("what was looked at"),
          found: z.string(),
          state: z.enum(["well", "refused", "neutral"]),
          at: milliseconds.describe("since the request came"),
          milliseconds,
        }),
      )
      .describe("in their order, each with what it found"),
    rows: z
      .array(
        z.object({
          change: z.enum(["added", "changed", "removed"]),
          table: z.string(),
          count: z.number().int(),
          values: z
            .array(z.object({ name: z.string(), value: z.string() }))
            .describe("what was written; secrets are shortened"),
          record: z.array(recordSegment).nullable().describe("a password record taken apart"),
        }),
      )
      .describe("what was written, changed or removed"),
    cookies: z.array(
      z.object({
        name: z.string(),
        value: z.string().nullable().describe("shortened; null: the cookie was removed"),
        attributes: z.array(z.string()),
      }),
    ),
    mails: z.array(z.object({ id: z.string(), to: z.string(), subject: z.string() })),
    webhooks: z.array(
      z.object({
        kind: z.enum(["asked", "told"]),
        event: z.string(),
        answer: z.string().nullable().describe("why it was refused; null: it was not"),
      }),
    ),
    told: z
      .array(z.string())
      .describe("what an application was told, one sentence for each of its questions"),
    time: z
      .array(
        z.object({
          what: z.enum(["hashing", "database", "webhook", "rest"]),
          milliseconds,
          count: z.number().int().nullable().describe("how many hashes, statements, questions"),
        }),
      )
      .describe("where the time went; adds up to the whole"),
    statements: z.array(
      z.object({
        text: z.string(),
        milliseconds,
        rows: z.number().int().nullable(),
        error: z.string().nullable(),
      }),
    ),
  })
  .meta({ id: "RequestTrace" });
/** What one request checked, wrote and mailed; in development only. */
export type RequestTrace = z.output<typeof requestTrace>;
