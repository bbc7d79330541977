import { z } from "zod";
import { introspection } from "../../oauth.ts";
import { defineRoute } from "../../route.ts";

/** Tokens in one call. */
export const MAX_CHECKED_TOKENS = 100;

const MAX_TOKEN_LENGTH = 200;

export const checkTokens = defineRoute({
  name: "checkTokens",
  method: "POST",
  path: "/v1/checks",
  summary:
    "Who is there, for up to 100 check tokens or access keys at once: each answer as introspection gives it, in the same order",
  access: "app",
  body: z.strictObject({
    tokens: z.array(z.string().min(1).max(MAX_TOKEN_LENGTH)).min(1).max(MAX_CHECKED_TOKENS),
  }),
  replies: { 200: z.object({ items: z.array(introspection) }) },
});
