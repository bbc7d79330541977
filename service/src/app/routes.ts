import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import type { ServiceContext } from "../context.ts";
import { answer, mount } from "../http/mount.ts";
import { visitOf } from "../http/visit.ts";
import { tellOtherOperators } from "../operator/tell-others.ts";
import { pageOf } from "../storage/index.ts";
import { addApp, addKey, removeApp, retireKey, showApps } from "./app.ts";
import { listApps } from "./store.ts";

/** `/v1/operator/apps`. */
export function appRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.listApps, async ({ query }) => {
      const { dataSource, clock } = context;
      const page = pageOf(await listApps(dataSource, query), query, (row) => row);
      const items = await showApps(dataSource, page.items, clock.now());
      return answer(200, { ...page, items });
    });

    mount(app, routes.addApp, async ({ body }, { caller, request }) => {
      const visit = visitOf(request);
      const added = await addApp(context, caller, body, visit, async (manager, row) => {
        const { name, ownForms, basicPasswords, rights } = row;
        // It sees people's passwords, or changes their accounts.
        if (!ownForms && !basicPasswords && rights.length === 0) return;
        const news = { what: "app-with-rights", about: name, by: caller.account, reason: null } as const;
        await tellOtherOperators(context, manager, { ...news, visit });
      });
      return answer(201, added);
    });

    mount(app, routes.addAppKey, async ({ params }, { caller, request }) =>
      answer(201, await addKey(context, caller, params.id, visitOf(request))),
    );

    mount(app, routes.retireAppKey, async ({ params }, { caller, request }) => {
      await retireKey(context, caller, { appId: params.id, keyId: params.keyId }, visitOf(request));
      return answer(204, undefined);
    });

    mount(app, routes.removeApp, async ({ params }, { caller, request }) => {
      await removeApp(context, caller, params.id, visitOf(request));
      return answer(204, undefined);
    });
  };
}
