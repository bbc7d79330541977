import { z } from "zod";
import { defineRoute } from "../../route.ts";
import { throttleEntry } from "../../shapes/operators.ts";
import { listOf } from "../../text.ts";

export const listThrottle = defineRoute({
  name: "listThrottle",
  method: "GET",
  path: "/v1/operator/throttle",
  summary: "Who is held back after failures, and why",
  access: "operator",
  replies: { 200: listOf(throttleEntry) },
});

export const releaseThrottle = defineRoute({
  name: "releaseThrottle",
  method: "DELETE",
  path: "/v1/operator/throttle/:id",
  summary: "Forget what was counted; the next try is checked at once",
  access: "operator",
  params: z.strictObject({ id: z.string().regex(/^[0-9a-f]{64}$/) }),
  replies: { 204: z.undefined() },
});
