import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import type { ServiceContext } from "../../records/context.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf } from "../../records/http/visit.ts";
import { listHeldBack, release } from "../../records/throttle/throttle.ts";

/** `/v1/operator/throttle`. */
export function throttleRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.listThrottle, async () =>
      answer(200, { items: await listHeldBack(context), next: null }),
    );

    mount(app, routes.releaseThrottle, async ({ params }, { caller, request }) => {
      await release(context, caller, params.id, visitOf(request));
      return answer(204, undefined);
    });
  };
}
