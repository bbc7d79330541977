/** Following a clock that was moved. */
import type { FastifyInstance } from "fastify";
import type { MovableClock } from "../../base/clock/clock.ts";
import type { ServiceContext } from "../../records/context.ts";

/** Development only: every request is answered by the stored clock, whichever instance moved it. */
export function followMovedClock(
  app: FastifyInstance,
  clock: MovableClock,
  { schemeStatistics: fleet }: Pick<ServiceContext, "schemeStatistics">,
): void {
  app.addHook("onRequest", async (request) => {
    try {
      await clock.refresh();
      // A clock that leaps over midnight would leap over the day's count as well.
      await fleet.keep();
    } catch (error) {
      // The request itself will say that the database is away.
      request.log.debug({ err: error }, "the moved clock could not be read");
    }
  });
}
