import { z } from "zod";
import { defineRoute } from "../../route.ts";
import { accessKey } from "../../shapes/people.ts";
import { id, lineOfText, timestamp } from "../../text.ts";
import { label } from "./account.ts";

export const listAccessKeys = defineRoute({
  name: "listAccessKeys",
  method: "GET",
  path: "/v1/account/access-keys",
  summary: "One's own access keys, newest first; never the keys themselves",
  access: "session",
  replies: { 200: z.object({ items: z.array(accessKey) }) },
});

export const makeAccessKey = defineRoute({
  name: "makeAccessKey",
  method: "POST",
  path: "/v1/account/access-keys",
  summary: "Make an access key for scripts; it is shown this once (needs a proof of the last ten minutes)",
  access: "session",
  problems: ["reauthenticate", "throttled"],
  body: z.strictObject({
    name: lineOfText(80).describe("what it is for"),
    expiresAt: timestamp.optional().describe("left out: it does not end by itself"),
    labels: z
      .array(label)
      .max(20, "At most 20 labels.")
      .optional()
      .describe("the labels it may carry; left out: whatever the account carries, but never operator"),
  }),
  replies: { 201: z.object({ accessKey, key: z.string().describe("lca_…, shown once") }) },
});

export const deleteAccessKey = defineRoute({
  name: "deleteAccessKey",
  method: "DELETE",
  path: "/v1/account/access-keys/:id",
  summary: "Delete an access key; it is refused from the next request on",
  access: "session",
  params: z.strictObject({ id }),
  replies: { 204: z.undefined() },
});
