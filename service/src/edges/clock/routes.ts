/** Moving the clock. Registered in development mode only; production has no such routes. */
import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import type { MovableClock } from "../../base/clock/clock.ts";
import { answer, mount } from "../../records/http/mount.ts";
import type { Capability } from "../capability/capability.ts";

/** `GET/POST/DELETE /v1/development/clock`. */
function clockRoutes(clock: MovableClock): FastifyPluginAsync {
  const shown = () => ({ now: clock.now().toISOString(), movedBy: clock.movedBy });
  return async (app) => {
    mount(app, routes.showClock, async () => answer(200, shown()));

    mount(app, routes.advanceClock, async ({ body }) => {
      await clock.advance(body.milliseconds);
      return answer(200, shown());
    });

    mount(app, routes.resetClock, async () => {
      await clock.reset();
      return answer(200, shown());
    });
  };
}

export const movableClock: Capability = {
  routes: ({ clock }) => ("refresh" in clock ? clockRoutes(clock) : async () => undefined),
};
