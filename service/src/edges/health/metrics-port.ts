/** A port for metrics alone, which no proxy leads to. */
import { createServer } from "node:http";
import type { FastifyInstance } from "fastify";
import type { Registry } from "prom-client";
import type { Configuration } from "../../base/config/index.ts";
import { listedAmong } from "../../base/http/network.ts";

/** Milliseconds in which a request must have come. */
const REQUEST_TIMEOUT = 5_000;

/** Opens it with the service, if there is to be one, and closes it with it. It answers listed addresses, and `GET /metrics` alone. */
export function openMetricsPort(
  app: FastifyInstance,
  { port, host, from }: Configuration["metrics"],
  registry: Registry,
): void {
  if (port === undefined) return;
  const server = createServer({ requestTimeout: REQUEST_TIMEOUT }, (request, reply) => {
    const isAllowed = listedAmong(from, request.socket.remoteAddress ?? "");
    if (!isAllowed || request.method !== "GET" || request.url !== "/metrics") {
      reply.writeHead(404, { "cache-control": "no-store" }).end();
      return;
    }
    registry.metrics().then(
      (text) =>
        reply
          .writeHead(200, {
            "content-type": registry.contentType,
            "cache-control": "no-store",
            "x-content-type-options": "nosniff",
          })
          .end(text),
      (error: unknown) => {
        app.log.error({ err: error }, "metrics could not be read");
        reply.writeHead(500).end();
      },
    );
  });
  // A port that is in use is told as the service's own would be.
  app.addHook("onReady", async () => {
    await new Promise<void>((resolve, reject) => {
      server.once("error", reject).listen(port, host, () => resolve());
    });
  });
  app.addHook("onClose", async () => {
    server.closeAllConnections();
    await new Promise((resolve) => server.close(resolve));
  });
}
