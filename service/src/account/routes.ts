import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import type { ServiceContext } from "../context.ts";
import { answer, mount } from "../http/mount.ts";
import { visitOf } from "../http/visit.ts";
import { deliverSession } from "../session/deliver.ts";
import { pageOf } from "../storage/index.ts";
import { accountInFull, changeAccount } from "./account.ts";
import { register } from "./register.ts";
import { showAccount } from "./show.ts";
import { listAccounts } from "./store.ts";

/** Registration, the signed-in account, and the operators' accounts. */
export function accountRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.register, async ({ body: { deliver, ...registration } }, { request, reply }) => {
      const replaces = deliver === "token" ? null : await app.readCaller(request);
      const result = await register(context, registration, { visit: visitOf(request), replaces });
      if (result.outcome === "check-mail") return answer(202, result);
      return answer(201, deliverSession(context, reply, result.begun, deliver));
    });

    mount(app, routes.showAccount, async (_received, { caller }) => answer(200, showAccount(caller.account)));

    mount(app, routes.listAccounts, async ({ query }) => {
      const rows = await listAccounts(context.dataSource, query, query);
      return answer(200, pageOf(rows, query, showAccount));
    });

    mount(app, routes.showAccountDetail, async ({ params }) =>
      answer(200, await accountInFull(context, params.id)),
    );

    mount(app, routes.changeAccount, async ({ params, body }, { caller, request }) =>
      answer(200, showAccount(await changeAccount(context, caller, params.id, body, visitOf(request)))),
    );
  };
}
