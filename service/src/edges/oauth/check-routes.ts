import type { Introspection } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { hashToken } from "@lucchetto/core";
import type { FastifyPluginAsync } from "fastify";
import { introspect, introspectKey, lookUpCheckToken } from "../../flows/oauth/introspect.ts";
import type { KeyedApp } from "../../records/app/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf } from "../../records/http/visit.ts";

/** `POST /v1/checks`, the usual way: what mixes in access keys, and what is wrong. Check tokens alone take the quick one. */
export function checkRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.checkTokens, async ({ body: { tokens } }, { caller, request }) => {
      const visit = visitOf(request);
      // The same one twice is asked about once, and counts once.
      const answers = new Map<string, Introspection>();
      for (const token of new Set(tokens)) answers.set(token, await check(context, token, caller, visit));
      return answer(200, { items: tokens.map((token) => answers.get(token) ?? { active: false }) });
    });
  };
}

async function check(
  context: ServiceContext,
  token: string,
  asking: KeyedApp,
  visit: RequestOrigin,
): Promise<Introspection> {
  if (hashToken("access-key", token) !== null)
    return introspectKey(context, { text: token, username: undefined, visit }, asking);
  return introspect(context, await lookUpCheckToken(context, token), asking);
}
