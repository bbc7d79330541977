import { z } from "zod";
/** Authenticator apps (TOTP, RFC 6238) and recovery codes: the second factor of an account. */
import { defineRoute } from "../../route.ts";
import { authenticator } from "../../shapes/people.ts";
import { codeText, id, lineOfText, timestamp } from "../../text.ts";

export const listAuthenticators = defineRoute({
  name: "listAuthenticators",
  method: "GET",
  path: "/v1/account/totp",
  summary: "One's own authenticator apps, the first one first; never their secrets",
  access: "session",
  replies: { 200: z.object({ items: z.array(authenticator) }) },
});

export const enrolAuthenticator = defineRoute({
  name: "enrolAuthenticator",
  method: "POST",
  path: "/v1/account/totp",
  summary:
    "Begin with an authenticator app: its secret is shown this once, and counts after a first right code (needs a proof of the last ten minutes; or a sign-in in progress that wants enrol-totp)",
  access: "enrolling",
  problems: ["reauthenticate", "keys-missing"],
  body: z.strictObject({
    name: lineOfText(80).optional().describe("how the person calls it"),
    algorithm: z.enum(["SHA1", "SHA256", "SHA512"]).optional().describe("SHA1 unless said otherwise"),
    digits: z.union([z.literal(6), z.literal(8)]).optional(),
    period: z
      .union([z.literal(30), z.literal(60)])
      .optional()
      .describe("seconds"),
  }),
  replies: {
    201: z.object({
      id,
      uri: z.string().describe("otpauth://totp/…"),
      secret: z.string().describe("base32, for typing"),
      qrSvg: z.string().describe("the URI as a QR code, an SVG image"),
      expiresAt: timestamp,
    }),
  },
});

export const activateAuthenticator = defineRoute({
  name: "activateAuthenticator",
  method: "POST",
  path: "/v1/account/totp/:id/activate",
  summary: "Confirm an authenticator app by a first code; from then on every sign-in asks for one",
  access: "session",
  problems: ["reauthenticate", "enrolment-lapsed", "keys-missing"],
  params: z.strictObject({ id }),
  body: z.strictObject({ code: codeText }),
  replies: {
    200: z.object({
      recoveryCodes: z.array(z.string()).optional().describe("with the first authenticator, shown this once"),
      token: z.string().optional().describe("the session's new own token, for programs"),
    }),
  },
});

export const renameAuthenticator = defineRoute({
  name: "renameAuthenticator",
  method: "PATCH",
  path: "/v1/account/totp/:id",
  summary: "Call an authenticator app something else",
  access: "session",
  params: z.strictObject({ id }),
  body: z.strictObject({ name: lineOfText(80) }),
  replies: { 200: authenticator },
});

export const removeAuthenticator = defineRoute({
  name: "removeAuthenticator",
  method: "DELETE",
  path: "/v1/account/totp/:id",
  summary:
    "Remove an authenticator app; with the last second factor the recovery codes go as well (needs a proof of the last ten minutes)",
  access: "session",
  problems: ["reauthenticate", "password-too-short-alone"],
  params: z.strictObject({ id }),
  replies: { 204: z.undefined() },
});

export const countRecoveryCodes = defineRoute({
  name: "countRecoveryCodes",
  method: "GET",
  path: "/v1/account/recovery-codes",
  summary: "How many recovery codes are left; never the codes themselves",
  access: "session",
  replies: { 200: z.object({ left: z.number().int() }) },
});

export const makeRecoveryCodes = defineRoute({
  name: "makeRecoveryCodes",
  method: "POST",
  path: "/v1/account/recovery-codes",
  summary:
    "Make a new set of recovery codes, shown this once; the old ones are void (needs a proof of the last ten minutes)",
  access: "session",
  problems: ["reauthenticate", "second-factor-missing", "keys-missing"],
  replies: { 201: z.object({ codes: z.array(z.string()) }) },
});
