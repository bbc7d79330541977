import { z } from "zod";
import { defineRoute } from "../../route.ts";
import { account } from "../../shapes/people.ts";
import { id, lineOfText } from "../../text.ts";

/** The application's own view of accounts: to show names beside its own rows. */
export const lookUpAccounts = defineRoute({
  name: "lookUpAccounts",
  method: "POST",
  path: "/v1/accounts/look-up",
  summary:
    "Accounts by id or reference, 100 at once, for an application with its app key; unknown ones are left out",
  access: "app",
  body: z
    .strictObject({
      ids: z.array(id).max(100, "At most 100 at once.").optional(),
      references: z.array(lineOfText(190)).max(100, "At most 100 at once.").optional(),
    })
    .refine(
      ({ ids = [], references = [] }) => ids.length + references.length <= 100,
      "At most 100 ids and references together.",
    ),
  replies: { 200: z.object({ items: z.array(account) }) },
});
