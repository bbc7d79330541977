import { z } from "zod";
import { defineRoute } from "../../route.ts";
import { operatorSession } from "../../shapes/operators.ts";
import { id, listOf, page } from "../../text.ts";

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
