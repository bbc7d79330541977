/** What goes on beside the requests: each capability's own work, and the sweeps of all, one after another. */
import type { FastifyBaseLogger, FastifyInstance } from "fastify";
import type { Background } from "../base/background-work.ts";
import type { Capability, Sweep } from "../edges/capability/capability.ts";
import type { ServiceContext } from "../records/context.ts";

declare module "fastify" {
  interface FastifyInstance {
    /** Runs all sweeps now, beside those that run by themselves. */
    sweep(): Promise<void>;
  }
}

/** Milliseconds between the ends of two rounds of sweeps. */
const SWEEP_INTERVAL = 60_000;

/** Starts it; it ends with the service. */
export function startBackground(
  app: FastifyInstance,
  context: ServiceContext,
  capabilities: readonly Capability[],
): void {
  const works = capabilities.flatMap(({ background }) => background?.(context, app.log) ?? []);
  const sweeping = startSweeping(
    context,
    capabilities.flatMap(({ sweeps = [] }) => sweeps),
    app.log,
  );
  app.decorate("sweep", sweeping.sweep);
  app.addHook("onClose", async () => {
    await Promise.all([...works, sweeping].map((work) => work.close()));
  });
}

function startSweeping(
  context: ServiceContext,
  sweeps: readonly Sweep[],
  logger: FastifyBaseLogger,
): Background & { sweep(): Promise<void> } {
  let isClosing = false;
  let timer: NodeJS.Timeout;
  let round: Promise<void> = Promise.resolve();
  const wait = (): void => {
    timer = setTimeout(() => {
      round = sweepAll().finally(() => {
        if (!isClosing) wait();
      });
    }, SWEEP_INTERVAL);
    timer.unref();
  };
  // One at a time, so that no round takes more than one connection; a fault of one keeps no other back.
  const sweepAll = async (): Promise<void> => {
    for (const { what, keepFor, run } of sweeps) {
      if (isClosing) return;
      const before = new Date(context.clock.now().getTime() - keepFor(context.configuration));
      try {
        await run(context.dataSource, before, context);
      } catch (error) {
        logger.warn({ err: error, what }, "cleanup of expired rows failed");
      }
    }
  };
  wait();
  return {
    sweep: sweepAll,
    async close() {
      isClosing = true;
      clearTimeout(timer);
      await round;
    },
  };
}
