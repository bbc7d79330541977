import { z } from "zod";
import { defineRoute } from "../../route.ts";
import { lineOfText, timestamp } from "../../text.ts";
import { requestTrace } from "../../trace.ts";

const clockShown = z.object({
  now: timestamp,
  movedBy: z.number().int().describe("milliseconds ahead of the machine's clock; negative: behind"),
});

/** These calls exist in development mode only; production has no such routes. */
export const showClock = defineRoute({
  name: "showClock",
  method: "GET",
  path: "/v1/development/clock",
  summary: "The service's clock",
  access: "development",
  replies: { 200: clockShown },
});

export const advanceClock = defineRoute({
  name: "advanceClock",
  method: "POST",
  path: "/v1/development/clock",
  summary: "Move the service's clock, so that expiry can be tried without waiting",
  access: "development",
  body: z.strictObject({
    milliseconds: z
      .number()
      .int("Give whole milliseconds.")
      .min(-400 * 86_400_000, "At most 400 days back.")
      .max(10 * 366 * 86_400_000, "At most ten years ahead."),
  }),
  replies: { 200: clockShown },
});

export const resetClock = defineRoute({
  name: "resetClock",
  method: "DELETE",
  path: "/v1/development/clock",
  summary: "Set the service's clock right again",
  access: "development",
  replies: { 200: clockShown },
});

export const listTraces = defineRoute({
  name: "listTraces",
  method: "GET",
  path: "/v1/development/traces",
  summary: "What was done for the last requests, the newest first",
  access: "development",
  query: z.strictObject({
    of: z
      .enum(["browser", "all"])
      .default("all")
      .describe(
        "`browser`: of the browser that asks (known by address and user agent), and what applications asked about its sessions",
      ),
    limit: z.coerce.number().int().min(1, "At least 1.").max(200, "At most 200.").default(20),
  }),
  replies: { 200: z.object({ items: z.array(requestTrace) }) },
});

export const showTrace = defineRoute({
  name: "showTrace",
  method: "GET",
  path: "/v1/development/traces/:requestId",
  summary: "What was done for one request, by the id in its reply's header `X-Request-Id`",
  access: "development",
  params: z.strictObject({ requestId: lineOfText(100) }),
  replies: { 200: requestTrace },
});
