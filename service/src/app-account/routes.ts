import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync, FastifyRequest } from "fastify";
import type { KeyedApp } from "../app/store.ts";
import type { ServiceContext } from "../context.ts";
import { answer, mount } from "../http/mount.ts";
import { visitOf } from "../http/visit.ts";
import { addByApp, changeByApp, findByApp, inviteByApp } from "./app-account.ts";

/** `/v1/app`: what an application's server does with accounts. */
export function appAccountRoutes(context: ServiceContext): FastifyPluginAsync {
  const asking = (app: KeyedApp, request: FastifyRequest) => ({ app, visit: visitOf(request) });
  return async (app) => {
    mount(app, routes.findAccountsByApp, async ({ query }, { caller, request }) =>
      answer(200, await findByApp(context, asking(caller, request), query)),
    );

    mount(app, routes.addAccountByApp, async ({ body }, { caller, request }) =>
      answer(201, await addByApp(context, asking(caller, request), body)),
    );

    mount(app, routes.inviteAccountByApp, async ({ body }, { caller, request }) => {
      const { isNew, account } = await inviteByApp(context, asking(caller, request), body);
      return isNew ? answer(201, account) : answer(200, account);
    });

    mount(app, routes.changeAccountByApp, async ({ params, body }, { caller, request }) =>
      answer(200, await changeByApp(context, asking(caller, request), { ...params, ...body })),
    );
  };
}
