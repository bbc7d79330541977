import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { DAY } from "../../base/duration.ts";
import type { ServiceContext } from "../../records/context.ts";
import { readDeviceMark } from "../../records/http/device-cookie.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf } from "../../records/http/visit.ts";
import type { Capability } from "../capability/capability.ts";
import { IntakeDrafts } from "./drafts.ts";
import { correctRecipe, showIntakes, showRefusals } from "./operate.ts";
import { sweepRefusals } from "./store.ts";
import { wrapSealed } from "./wrap.ts";

/** `/v1/operator/intakes` and `/v1/operator/intake-drafts`. */
function intakeRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    const drafts = new IntakeDrafts(context, app.log);
    app.addHook("onClose", () => drafts.close());

    mount(app, routes.listIntakes, async () => answer(200, await showIntakes(context)));

    mount(app, routes.listIntakeRefusals, async ({ params, query }) =>
      answer(200, await showRefusals(context, params.id, query)),
    );

    mount(app, routes.correctRecipe, async (received, { caller, request }) =>
      answer(
        200,
        await correctRecipe(context, caller, received, {
          visit: visitOf(request),
          mark: readDeviceMark(context, request),
        }),
      ),
    );

    mount(app, routes.beginIntakeDraft, async ({ body }) => answer(201, await drafts.begin(body)));

    mount(app, routes.addIntakePart, async ({ params, body }) =>
      answer(200, await drafts.add(params.id, body)),
    );

    mount(app, routes.planIntakeDraft, async ({ params }) => answer(200, await drafts.plan(params.id)));

    mount(app, routes.showIntakeDraft, async ({ params }) => answer(200, drafts.show(params.id)));

    mount(app, routes.checkIntakeDraft, async ({ params, body }) =>
      answer(202, drafts.check(params.id, body)),
    );

    mount(app, routes.runIntakeDraft, async ({ params, body }, { caller, request }) =>
      answer(202, drafts.run(params.id, body, caller, visitOf(request))),
    );

    mount(app, routes.dropIntakeDraft, async ({ params }) => {
      await drafts.drop(params.id);
      return answer(204, undefined);
    });
  };
}

export const intakes: Capability = {
  routes: ({ context }) => intakeRoutes(context),
  background: wrapSealed,
  sweeps: [{ what: "rows that intakes refused", keepFor: () => 30 * DAY, run: sweepRefusals }],
};
