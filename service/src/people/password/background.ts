/** Beside the requests: each day's count of schemes, and the list of compromised passwords that is open. */
import type { FastifyBaseLogger } from "fastify";
import type { Background } from "../../base/background-work.ts";
import { keepDaily } from "../../base/clock/by-day.ts";
import type { ServiceContext } from "../../records/context.ts";

export function keepRecords(
  { schemeStatistics: fleet, compromised }: ServiceContext,
  logger: FastifyBaseLogger,
): Background {
  const counting = keepDaily(fleet, (error) => logger.warn({ err: error }, "schemes could not be counted"));
  return {
    async close() {
      await counting.close();
      await compromised?.close();
    },
  };
}
