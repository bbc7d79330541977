import { z } from "zod";
import { RECENT_KEY_DAYS } from "../../recent-keys.ts";
import { defineRoute } from "../../route.ts";
import { account, session } from "../../shapes/people.ts";
import { id, passwordText } from "../../text.ts";

/** As many as an account can have. */
const MAX_KEPT_KEYS = 50;

export const changePassword = defineRoute({
  name: "changePassword",
  method: "POST",
  path: "/v1/account/password",
  summary: "Change the password: ends all other sessions, and gives this one a new own token",
  access: "session",
  problems: ["reauthenticate", "throttled", "too-busy"],
  body: z.strictObject({
    present: passwordText
      .optional()
      .describe("the password up to now; may be left out within ten minutes of a proof"),
    password: passwordText.describe("the new one"),
    keepAccessKeys: z
      .array(id)
      .max(MAX_KEPT_KEYS)
      .optional()
      .describe(
        `access keys of the last ${RECENT_KEY_DAYS} days that are to stay; all others of these days end`,
      ),
  }),
  replies: {
    200: z
      .object({
        session,
        account,
        endedSessions: z.number().int().describe("how many other sessions were ended"),
        endedAccessKeys: z.number().int().describe("how many access keys of the last 7 days were ended"),
        token: z.string().optional().describe("the new own token, if the old one came as Bearer"),
      })
      .meta({ id: "PasswordChanged" }),
  },
});

export const removePassword = defineRoute({
  name: "removePassword",
  method: "DELETE",
  path: "/v1/account/password",
  summary:
    "Do without a password, where two other ways in remain: passkeys that verify their holder, or a confirmed address (needs a proof of the last ten minutes); ends all other sessions",
  access: "session",
  problems: ["reauthenticate", "password-is-wanted"],
  replies: { 204: z.undefined() },
});
