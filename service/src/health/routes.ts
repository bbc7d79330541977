/** Liveness, readiness and metrics, for whoever runs the service. */
import type { FastifyPluginAsync, FastifyRequest } from "fastify";
import type { Registry } from "prom-client";
import type { Configuration } from "../config/index.ts";
import type { ServiceContext } from "../context.ts";
import { listedAmong } from "../http/network.ts";
import { ProblemReply } from "../problem.ts";
import { schemaStatus } from "../storage/index.ts";

/** They say how busy a site is: for listed addresses alone. Behind a proxy that is not trusted nobody knows who asks. */
function isAllowed(
  { metrics, trustedProxies }: Pick<Configuration, "metrics" | "trustedProxies">,
  { ip, headers }: FastifyRequest,
): boolean {
  const isForwarded = headers["x-forwarded-for"] !== undefined || headers.forwarded !== undefined;
  return listedAmong(metrics.from, ip) && !(isForwarded && trustedProxies.length === 0);
}

/** `/healthz`, `/readyz`, `/metrics`. */
export function healthRoutes(
  { dataSource, configuration }: ServiceContext,
  metrics: Registry,
): FastifyPluginAsync {
  return async (app) => {
    app.addHook("onRequest", async (_request, reply) => {
      void reply.header("cache-control", "no-store");
    });

    app.get("/healthz", async () => ({ status: "alive" }));

    app.get("/readyz", async () => {
      const { current } = await schemaStatus(dataSource);
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
