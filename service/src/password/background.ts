/** Beside the requests: each day's count of schemes, and the list of compromised passwords that is open. */
import type { FastifyBaseLogger } from "fastify";
import type { Background } from "../capability.ts";
import type { ServiceContext } from "../context.ts";

/** Milliseconds between looks whether a count is due. */
const LOOK_EVERY = 60_000;

export function keepRecords({ fleet, compromised }: ServiceContext, logger: FastifyBaseLogger): Background {
  const timer = setInterval(() => {
    fleet.keep().catch((error: unknown) => logger.warn({ err: error }, "schemes could not be counted"));
  }, LOOK_EVERY);
  timer.unref();
  return {
    async close() {
      clearInterval(timer);
      await compromised?.close();
    },
  };
}
