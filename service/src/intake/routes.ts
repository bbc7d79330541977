import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import type { ServiceContext } from "../context.ts";
import { markOf } from "../http/device-mark.ts";
import { answer, mount } from "../http/mount.ts";
import { visitOf } from "../http/visit.ts";
import { correctRecipe, showIntakes, showRefusals } from "./operate.ts";

/** `/v1/operator/intakes`. */
export function intakeRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.listIntakes, async () => answer(200, await showIntakes(context)));

    mount(app, routes.listIntakeRefusals, async ({ params, query }) =>
      answer(200, await showRefusals(context, params.id, query)),
    );

    mount(app, routes.correctRecipe, async (received, { caller, request }) =>
      answer(
        200,
        await correctRecipe(context, caller, received, {
          visit: visitOf(request),
          mark: markOf(context, request),
        }),
      ),
    );
  };
}
