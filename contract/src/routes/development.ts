import { z } from "zod";
import { defineRoute } from "../route.ts";
import { timestamp } from "../text.ts";

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
