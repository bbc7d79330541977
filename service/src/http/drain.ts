/**
 * Stopping without losing a request. Whoever sends requests here (a proxy, a hasp) has to notice first: so `/readyz` says no at
 * once and every answer ends its connection, while requests are still taken for a while; then nobody new is let in, and what is
 * under way is answered.
 */
import type { ServerResponse } from "node:http";
import { setTimeout as pause } from "node:timers/promises";
import type { FastifyInstance } from "fastify";

/** Milliseconds that requests under way are waited for, once nobody new is let in. */
const PATIENCE = 8_000;
/** Milliseconds between two looks. */
const LOOK_EVERY = 20;

export class Drain {
  /** The service was told to stop. */
  isOn = false;
  readonly #underWay = new Set<ServerResponse>();

  /** Notes a request. */
  begin(response: ServerResponse): void {
    this.#underWay.add(response);
    response.once("close", () => this.#underWay.delete(response));
  }

  /** Waits until nothing is under way, or for so many milliseconds. @returns how many requests were left. */
  async empty(patience: number): Promise<number> {
    const end = performance.now() + patience;
    while (this.#underWay.size > 0 && performance.now() < end) await pause(LOOK_EVERY);
    return this.#underWay.size;
  }
}

/**
 * Lets the service drain before it closes. To be called after all routes: what keeps streams open ends them before.
 * @param grace milliseconds in which requests are still taken.
 */
export function drainBeforeClose(app: FastifyInstance, drain: Drain, grace: number): void {
  app.addHook("preClose", async () => {
    drain.isOn = true;
    if (!app.server.listening) return;
    if (grace > 0) await pause(grace);
    app.server.close();
    app.server.closeIdleConnections();
    const left = await drain.empty(PATIENCE);
    if (left > 0) app.log.warn({ left }, "requests under way were not answered in time");
  });
}
