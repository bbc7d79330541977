import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { DAY } from "../../base/duration.ts";
import { MAX_AGE_SECONDS } from "../../base/http/host-cookie.ts";
import { keptAsThing } from "../../people/recovery/kept.ts";
import type { ServiceContext } from "../../records/context.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf } from "../../records/http/visit.ts";
import { sweepCounts, sweepDevices, sweepForgottenDevices } from "../../records/throttle/store.ts";
import { listHeldBack, release } from "../../records/throttle/throttle.ts";
import type { Capability } from "../capability/capability.ts";

/** `/v1/operator/throttle`. */
function throttleRoutes(context: ServiceContext): FastifyPluginAsync {
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

export const throttle: Capability = {
  routes: ({ context }) => throttleRoutes(context),
  background: ({ refusals }) => refusals,
  sweeps: [
    { what: "counts of failures of names and networks", keepFor: () => DAY, run: sweepCounts },
    // As long as a browser keeps its mark.
    { what: "known devices that nobody uses", keepFor: () => MAX_AGE_SECONDS * 1_000, run: sweepDevices },
    {
      what: "known devices that were forgotten, as after a reset",
      keepFor: ({ links }) => keptAsThing(links),
      run: sweepForgottenDevices,
    },
  ],
};
