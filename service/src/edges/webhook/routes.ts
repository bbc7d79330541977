import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { DAY } from "../../base/duration.ts";
import { pageOf } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { listDeliveries, sweepSettled } from "../../records/webhook/store.ts";
import type { Capability } from "../capability/capability.ts";
import { repeat, showDelivery, startDelivering } from "./deliver.ts";

/** `/v1/operator/deliveries`. */
function webhookRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.listDeliveries, async ({ query }) =>
      answer(200, pageOf(await listDeliveries(context.dataSource, query, query), query, showDelivery)),
    );

    mount(app, routes.repeatDelivery, async ({ params }, { caller }) =>
      answer(202, showDelivery(await repeat(context, caller, params.id))),
    );
  };
}

export const webhooks: Capability = {
  routes: ({ context }) => webhookRoutes(context),
  // How long notices can be looked at, by how they ended.
  sweeps: [
    {
      what: "notices that were delivered",
      keepFor: () => 7 * DAY,
      run: (dataSource, before) => sweepSettled(dataSource, "delivered", before),
    },
    {
      what: "notices that were given up",
      keepFor: () => 30 * DAY,
      run: (dataSource, before) => sweepSettled(dataSource, "given-up", before),
    },
  ],
  background: startDelivering,
};
