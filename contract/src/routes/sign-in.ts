import { z } from "zod";
import { defineRoute } from "../route.ts";
import { lineOfText, passwordText } from "../text.ts";
import { deliver, signedIn } from "./account.ts";

/** One thing shown in a sign-in. */
export const proof = z
  .discriminatedUnion("type", [
    z.strictObject({
      type: z.literal("password"),
      identifier: lineOfText(254).describe("e-mail address or username"),
      password: passwordText,
    }),
  ])
  .meta({ id: "Proof" });
export type Proof = z.output<typeof proof>;

export const signIn = defineRoute({
  name: "signIn",
  method: "POST",
  path: "/v1/sign-in",
  summary: "Begin a sign-in with a first proof",
  access: "anybody",
  body: z.strictObject({
    proof,
    remember: z.boolean().optional().describe("keep me signed in on this device"),
    deliver: deliver.optional(),
  }),
  replies: { 201: signedIn },
});
