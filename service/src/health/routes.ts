/** Liveness, readiness and metrics, for whoever runs the service. */
import type { FastifyPluginAsync } from "fastify";
import type { Registry } from "prom-client";
import type { ServiceContext } from "../context.ts";
import { ProblemReply } from "../problem.ts";
import { schemaStatus } from "../storage/index.ts";

/** `/healthz`, `/readyz`, `/metrics`. */
export function healthRoutes({ dataSource }: ServiceContext, metrics: Registry): FastifyPluginAsync {
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

    app.get("/metrics", async (_request, reply) => {
      void reply.type(metrics.contentType);
      return metrics.metrics();
    });
  };
}
