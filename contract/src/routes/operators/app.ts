import { z } from "zod";
import { APP_RIGHTS, defineRoute } from "../../route.ts";
import { app } from "../../shapes/operators.ts";
import { id, lineOfText, listOf, page } from "../../text.ts";
import { MAILED_LINKS } from "../people/mail.ts";

const addresses = z.array(lineOfText(500)).max(20, "At most 20 addresses.");

const home = lineOfText(500).describe("address of its first page, to which people's pages lead back");

const initiateLoginUri = lineOfText(500).describe(
  "where a sign-in is begun at the application from outside (`initiate_login_uri`, OpenID Connect Core 4); the hasp's is its sign-in path",
);

const linkAddresses = z
  .partialRecord(z.enum(MAILED_LINKS), lineOfText(500))
  .describe(
    "pages of an app with forms of its own to which mailed links lead that were asked for in it, by what they are for; the secret stands in the fragment. Others, and those of operators and auditors, lead to the people's pages",
  );

/** The app and its key, which is shown this once. */
const appWithKey = z.object({ app, key: z.string().describe("shown once") });

export const listApps = defineRoute({
  name: "listApps",
  method: "GET",
  path: "/v1/operator/apps",
  summary: "Registered applications",
  access: "operator",
  query: z.strictObject({ ...page }),
  replies: { 200: listOf(app) },
});

export const addApp = defineRoute({
  name: "addApp",
  method: "POST",
  path: "/v1/operator/apps",
  summary: "Register an application",
  access: "operator",
  problems: ["identifier-taken"],
  body: z.strictObject({
    name: lineOfText(80),
    clientId: z
      .string()
      .regex(/^[a-z0-9][a-z0-9-]{1,62}$/, "Use 2 to 63 lower-case letters, digits and dashes.")
      .optional()
      .describe("made from the name if left out"),
    redirectUris: addresses.min(1, "Give at least one return address."),
    signedOutUris: addresses.optional().describe("where people may land after signing out"),
    ownForms: z
      .boolean()
      .optional()
      .describe("let it sign people in with forms of its own: it sees their passwords"),
    basicPasswords: z
      .boolean()
      .optional()
      .describe("let it have people's own passwords checked that scripts send as HTTP Basic"),
    rights: z
      .array(z.enum(APP_RIGHTS))
      .max(APP_RIGHTS.length)
      .optional()
      .describe("accounts: let its server find, add, invite and change accounts, never operators'"),
    home: home.optional(),
    initiateLoginUri: initiateLoginUri.optional(),
    linkAddresses: linkAddresses.optional(),
  }),
  replies: { 201: appWithKey },
});

export const changeApp = defineRoute({
  name: "changeApp",
  method: "PATCH",
  path: "/v1/operator/apps/:id",
  summary: "Change an application: what is given takes the place of what was",
  access: "operator",
  params: z.strictObject({ id }),
  body: z
    .strictObject({
      name: lineOfText(80).optional(),
      redirectUris: addresses.min(1, "Give at least one return address.").optional(),
      signedOutUris: addresses.optional(),
      ownForms: z.boolean().optional(),
      basicPasswords: z.boolean().optional(),
      rights: z.array(z.enum(APP_RIGHTS)).max(APP_RIGHTS.length).optional(),
      home: home.nullable().optional(),
      initiateLoginUri: initiateLoginUri.nullable().optional(),
      linkAddresses: linkAddresses.optional(),
    })
    .refine((body) => Object.keys(body).length > 0, "Name at least one thing to change."),
  replies: { 200: app },
});

export const removeApp = defineRoute({
  name: "removeApp",
  method: "DELETE",
  path: "/v1/operator/apps/:id",
  summary: "Remove an application; its check tokens end",
  access: "operator",
  params: z.strictObject({ id }),
  replies: { 204: z.undefined() },
});

export const addAppKey = defineRoute({
  name: "addAppKey",
  method: "POST",
  path: "/v1/operator/apps/:id/keys",
  summary: "Give an application another key; the old ones go on until they are retired",
  access: "operator",
  params: z.strictObject({ id }),
  replies: { 201: appWithKey },
});

export const retireAppKey = defineRoute({
  name: "retireAppKey",
  method: "DELETE",
  path: "/v1/operator/apps/:id/keys/:keyId",
  summary: "Retire an application's key",
  access: "operator",
  params: z.strictObject({ id, keyId: id }),
  replies: { 204: z.undefined() },
});
