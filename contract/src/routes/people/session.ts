import { z } from "zod";
import { appHome } from "../../page-state.ts";
import { defineRoute } from "../../route.ts";
import { account, proofWanted, session } from "../../shapes/people.ts";
import { id, passwordText } from "../../text.ts";
import { signedIn } from "./account.ts";
import { passkeyProof } from "./passkey.ts";
import { codeProofs } from "./sign-in.ts";

export const showSession = defineRoute({
  name: "showSession",
  method: "GET",
  path: "/v1/session",
  summary: "Who am I",
  access: "session",
  replies: { 200: z.object({ session, account }) },
});

export const makeCheckToken = defineRoute({
  name: "makeCheckToken",
  method: "POST",
  path: "/v1/session/check-token",
  summary:
    "For an app with forms of its own: a check token of the session that was begun in them, by which its closed pages know the person",
  access: "session",
  problems: ["own-forms-needed"],
  replies: {
    201: z.object({
      checkToken: z
        .string()
        .describe(
          "lck_…; it identifies the person to this app and can do nothing else, so it may stand in a cookie",
        ),
    }),
  },
});

export const signOut = defineRoute({
  name: "signOut",
  method: "DELETE",
  path: "/v1/session",
  summary: "Sign out: ends the session, in every app",
  access: "session",
  replies: { 204: z.undefined() },
});

export const listOwnSessions = defineRoute({
  name: "listOwnSessions",
  method: "GET",
  path: "/v1/sessions",
  summary: "One's own living sessions, the latest used first",
  access: "session",
  replies: { 200: z.object({ items: z.array(session) }) },
});

export const listOwnApps = defineRoute({
  name: "listOwnApps",
  method: "GET",
  path: "/v1/account/apps",
  summary: "The apps that one has been signed in to of late, the latest first, each with its first page",
  access: "session",
  replies: { 200: z.object({ items: z.array(appHome) }) },
});

export const endOwnSession = defineRoute({
  name: "endOwnSession",
  method: "DELETE",
  path: "/v1/sessions/:id",
  summary: "End one of one's own sessions, in every app",
  access: "session",
  params: z.strictObject({ id }),
  replies: { 204: z.undefined() },
});

export const endOtherSessions = defineRoute({
  name: "endOtherSessions",
  method: "POST",
  path: "/v1/sessions/end-others",
  summary: "End all of one's own sessions but this one",
  access: "session",
  replies: { 200: z.object({ ended: z.number().int() }) },
});

export const reauthenticate = defineRoute({
  name: "reauthenticate",
  method: "POST",
  path: "/v1/session/reauthenticate",
  summary:
    "Show proofs again before a sensitive change, the password first; a new own token replaces the old one",
  access: "session",
  problems: ["proof-refused", "throttled", "too-busy"],
  answersPasskey: true,
  body: z.strictObject({
    proof: z.discriminatedUnion("type", [
      z.strictObject({ type: z.literal("password"), password: passwordText }),
      passkeyProof,
      ...codeProofs,
    ]),
  }),
  replies: { 201: signedIn, 202: proofWanted },
});
