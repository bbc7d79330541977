import { ownPathOr } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { queryOf } from "../../base/http/address.ts";
import { ProblemReply } from "../../base/problem.ts";
import type { ServiceContext } from "../../records/context.ts";
import type { Capability } from "../capability/capability.ts";
import type { PageShell } from "../capability/shell.ts";
import { assertProxy, checkForProxy, enter, ENTER_PATH, readWish, stepPage } from "./proxy-check.ts";

/** `GET /v1/proxy-check`, and the way of a browser to its check token. */
function proxyCheckRoutes(context: ServiceContext, shell: PageShell): FastifyPluginAsync {
  const { publicUrl } = context.configuration;
  return async (app) => {
    app.get("/v1/proxy-check", async (request, reply) => {
      assertProxy(context, request);
      void reply.header("cache-control", "no-store");
      const who = await checkForProxy(context, request, readWish(queryOf(request)));
      return reply.headers(who).status(200).send();
    });

    app.get(ENTER_PATH, async (request, reply) => {
      const query = queryOf(request);
      const to = ownPathOr("/", query.get("to") ?? "/");
      const caller = await app.readCaller(request);
      void reply.header("cache-control", "no-store");
      if (caller === null) return reply.redirect(shell.pathOf("/sign-in", { next: request.url }), 303);
      try {
        const page = await stepPage(context, caller, query);
        if (page !== null) return await reply.redirect(shell.pathOf(page, { next: request.url }), 303);
        const token = await enter(context, caller, request);
        if (token !== null) void reply.header("set-cookie", context.proxyCookie.write(token));
        return await reply.redirect(new URL(publicUrl).origin + to, 303);
      } catch (error) {
        if (!(error instanceof ProblemReply)) throw error;
        return shell.sendProblem(request, reply, error.code);
      }
    });
  };
}

export const proxyCheck: Capability = {
  routes: ({ context, shell }) => proxyCheckRoutes(context, shell),
};
