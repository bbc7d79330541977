/** Moving the clock. Registered in development mode only; production has no such routes. */
import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { answer, mount } from "../http/mount.ts";
import type { MovableClock } from "./clock.ts";

/** `GET/POST/DELETE /v1/development/clock`. */
export function clockRoutes(clock: MovableClock): FastifyPluginAsync {
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
