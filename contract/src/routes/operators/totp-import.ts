import { z } from "zod";
/** Authenticator apps taken over from another system. */
import { defineRoute } from "../../route.ts";
import { lineOfText } from "../../text.ts";

/** What became of a line. */
export const totpImportOutcome = z.enum([
  "imported",
  "imported-short",
  "account-unknown",
  "has-one-already",
  "of-operators",
  "unreadable",
  "too-short",
  "short-not-accepted",
]);

/** What became of a row of an import of authenticator secrets. */
export type TotpImportOutcome = z.output<typeof totpImportOutcome>;

export const importAuthenticators = defineRoute({
  name: "importAuthenticators",
  method: "POST",
  path: "/v1/operator/totp-imports",
  summary:
    "Take authenticator apps over by their key URIs (otpauth://totp/…): they count at once. An account that has one already, or is an operator's, is not touched; told to the owner, who can undo it, and to the other operators",
  access: "operator",
  problems: ["keys-missing"],
  body: z.strictObject({
    match: z.enum(["email", "username", "reference"]).describe("by what accounts are named"),
    acceptShort: z
      .boolean()
      .optional()
      .describe("take secrets of 80 to 127 bits too; they are renewed at the next sign-in"),
    items: z
      .array(z.strictObject({ account: lineOfText(254), uri: lineOfText(1_000) }))
      .min(1)
      .max(50, "At most 50 at once."),
  }),
  replies: {
    200: z.object({
      items: z
        .array(z.object({ outcome: totpImportOutcome, detail: z.string().nullable() }))
        .describe("in the order of the request"),
    }),
  },
});
