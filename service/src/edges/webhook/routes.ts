import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { pageOf } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { listDeliveries } from "../../records/webhook/store.ts";
import { repeat, showDelivery } from "./deliver.ts";

/** `/v1/operator/deliveries`. */
export function webhookRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.listDeliveries, async ({ query }) =>
      answer(200, pageOf(await listDeliveries(context.dataSource, query, query), query, showDelivery)),
    );

    mount(app, routes.repeatDelivery, async ({ params }, { caller }) =>
      answer(202, showDelivery(await repeat(context, caller, params.id))),
    );
  };
}
