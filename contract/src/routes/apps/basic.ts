import { z } from "zod";
import { defineRoute } from "../../route.ts";
import { account } from "../../shapes/people.ts";
import { lineOfText, passwordText } from "../../text.ts";

/** For applications that were registered for it: scripts send people's own passwords, and nothing but a reply comes of it. */
export const checkBasic = defineRoute({
  name: "checkBasic",
  method: "POST",
  path: "/v1/basic-check",
  summary:
    "Whether a name and password sent to an application as HTTP Basic are right; counted like a sign-in, and no session begins",
  access: "app",
  problems: [
    "own-password-not-taken",
    "sign-in-refused",
    "account-suspended",
    "account-closed",
    "email-unverified",
    "throttled",
    "too-busy",
  ],
  body: z.strictObject({
    identifier: lineOfText(254).describe("e-mail address or username"),
    password: passwordText,
    address: z
      .union([z.ipv4(), z.ipv6()], "Give the address that the request came from.")
      .describe("where the request to the application came from"),
    userAgent: z.string().max(2_000).optional(),
  }),
  replies: { 200: z.object({ account }) },
});
