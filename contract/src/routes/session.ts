import { z } from "zod";
import { defineRoute } from "../route.ts";
import { account, operatorSession, session } from "../shapes.ts";
import { id, listOf, page } from "../text.ts";

export const showSession = defineRoute({
  name: "showSession",
  method: "GET",
  path: "/v1/session",
  summary: "Who am I",
  access: "session",
  replies: { 200: z.object({ session, account }) },
});

export const signOut = defineRoute({
  name: "signOut",
  method: "DELETE",
  path: "/v1/session",
  summary: "Sign out: ends the session, in every app",
  access: "session",
  replies: { 204: z.undefined() },
});

export const listSessions = defineRoute({
  name: "listSessions",
  method: "GET",
  path: "/v1/operator/sessions",
  summary: "Sessions, newest first, ended ones included",
  access: "operator",
  query: z.strictObject({ accountId: id.optional(), ...page }),
  replies: { 200: listOf(operatorSession) },
});

export const endSession = defineRoute({
  name: "endSession",
  method: "DELETE",
  path: "/v1/operator/sessions/:id",
  summary: "End anybody's session",
  access: "operator",
  params: z.strictObject({ id }),
  replies: { 204: z.undefined() },
});
