import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import type { EntityManager } from "typeorm";
import { DAY } from "../../base/duration.ts";
import type { AppRow } from "../../base/storage/index.ts";
import { pageOf } from "../../base/storage/index.ts";
import { listApps, sweepQuestions } from "../../records/app/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf } from "../../records/http/visit.ts";
import { notifyOtherOperators } from "../../records/mail/notify-operators.ts";
import type { LiveSession } from "../../records/session/store.ts";
import type { Capability } from "../capability/capability.ts";
import { addApp, addKey, changeApp, hasRights, removeApp, retireKey, showApps } from "./app.ts";

/** `/v1/operator/apps`. */
function appRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.listApps, async ({ query }) => {
      const { dataSource, clock } = context;
      const page = pageOf(await listApps(dataSource, query), query, (row) => row);
      const items = await showApps(dataSource, page.items, clock.now());
      return answer(200, { ...page, items });
    });

    /** It sees people's passwords, or changes their accounts. */
    const tellOfRights =
      ({ account }: LiveSession, visit: RequestOrigin) =>
      async (manager: EntityManager, { name }: AppRow): Promise<void> => {
        const news = { what: "app-with-rights", about: name, by: account, reason: null } as const;
        await notifyOtherOperators(context, manager, { ...news, visit });
      };

    mount(app, routes.addApp, async ({ body }, { caller, request }) => {
      const visit = visitOf(request);
      const tell = tellOfRights(caller, visit);
      const added = await addApp(context, caller, body, visit, async (manager, row) => {
        if (hasRights(row)) await tell(manager, row);
      });
      return answer(201, added);
    });

    mount(app, routes.changeApp, async ({ params, body }, { caller, request }) => {
      const visit = visitOf(request);
      const wish = { appId: params.id, change: body, visit };
      return answer(200, await changeApp(context, caller, wish, tellOfRights(caller, visit)));
    });

    mount(app, routes.addAppKey, async ({ params }, { caller, request }) => {
      const visit = visitOf(request);
      const added = await addKey(context, caller, { appId: params.id, visit }, tellOfRights(caller, visit));
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
