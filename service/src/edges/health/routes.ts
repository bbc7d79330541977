/** Liveness, readiness and metrics, for whoever runs the service. */
import type { FastifyPluginAsync, FastifyRequest } from "fastify";
import type { Registry } from "prom-client";
import type { Configuration } from "../../base/config/index.ts";
import type { Drain } from "../../base/http/drain.ts";
import { isLoopbackAddress, listedAmong } from "../../base/http/network.ts";
import { isLocal } from "../../base/http/own-host.ts";
import { ProblemReply } from "../../base/problem.ts";
import { schemaStatus } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import type { Capability } from "../capability/capability.ts";

/** Milliseconds after which a database that has not answered is not there, for whoever sends requests on. */
const READY_WITHIN = 1_500;

/** @throws ProblemReply `storage-unavailable` if it takes longer. */
async function within<Result>(work: Promise<Result>, milliseconds: number): Promise<Result> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_resolve, reject) => {
    timer = setTimeout(() => reject(new ProblemReply("storage-unavailable")), milliseconds);
  });
  try {
    return await Promise.race([work, late]);
  } finally {
    clearTimeout(timer);
  }
}

/**
 * They say how busy a site is: for listed addresses alone. Whoever asks through a proxy that does not say for whom, or that is not trusted,
 * is nobody: such a request comes from this machine under a public name, or from the proxy's address. With a port of their own they are
 * answered there alone.
 */
function isAllowed(
  { metrics, trustedProxies }: Pick<Configuration, "metrics" | "trustedProxies">,
  { clientAddress, headers, raw }: FastifyRequest,
): boolean {
  if (metrics.port !== undefined || !listedAmong(metrics.from, clientAddress ?? "")) return false;
  const isForwarded = headers["x-forwarded-for"] !== undefined || headers.forwarded !== undefined;
  if (isForwarded) return trustedProxies.length > 0;
  const peer = raw.socket.remoteAddress ?? "";
  return isLoopbackAddress(peer) ? isLocal(raw) : !listedAmong(trustedProxies, peer);
}

/** `/healthz`, `/readyz`, `/metrics`. */
function healthRoutes(
  { dataSource, configuration }: ServiceContext,
  { metrics, drain }: { metrics: Registry; drain: Drain },
): FastifyPluginAsync {
  return async (app) => {
    app.addHook("onRequest", async (_request, reply) => {
      void reply.header("cache-control", "no-store");
    });

    app.get("/healthz", async () => ({ status: "alive" }));

    app.get("/readyz", async () => {
      if (drain.isOn) throw new ProblemReply("stopping");
      const { current } = await within(schemaStatus(dataSource), READY_WITHIN);
      if (current) return { status: "ready" };
      throw new ProblemReply("storage-unavailable", {
        detail: "The database's schema is not the one this service knows. Run: lucchetto schema apply",
      });
    });

    app.get("/metrics", async (request, reply) => {
      if (!isAllowed(configuration, request)) throw new ProblemReply("not-found");
      void reply.type(metrics.contentType);
      return metrics.metrics();
    });
  };
}

export const health: Capability = {
  routes: ({ context, metrics, drain }) => healthRoutes(context, { metrics, drain }),
};
