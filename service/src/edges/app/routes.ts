import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { DAY } from "../../base/duration.ts";
import { pageOf } from "../../base/storage/index.ts";
import { listApps, sweepQuestions } from "../../records/app/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf } from "../../records/http/visit.ts";
import type { Capability } from "../capability/capability.ts";
import { addApp, addKey, changeApp, removeApp, retireKey, showApps } from "./app.ts";

/** `/v1/operator/apps`. */
function appRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.listApps, async ({ query }) => {
      const { dataSource, clock } = context;
      const page = pageOf(await listApps(dataSource, query), query, (row) => row);
      const items = await showApps(dataSource, page.items, clock.now());
      return answer(200, { ...page, items });
    });

    mount(app, routes.addApp, async ({ body }, { caller, request }) => {
      const visit = visitOf(request);
      return answer(201, await addApp(context, caller, body, visit));
    });

    mount(app, routes.changeApp, async ({ params, body }, { caller, request }) => {
      const visit = visitOf(request);
      const wish = { appId: params.id, change: body, visit };
      return answer(200, await changeApp(context, caller, wish));
    });

    mount(app, routes.addAppKey, async ({ params }, { caller, request }) => {
      const visit = visitOf(request);
      const added = await addKey(context, caller, { appId: params.id, visit });
      return answer(201, added);
    });

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

export const apps: Capability = {
  routes: ({ context }) => appRoutes(context),
  sweeps: [{ what: "counts of what apps asked", keepFor: () => 31 * DAY, run: sweepQuestions }],
  background: ({ appUsage: questions }) => questions,
};
