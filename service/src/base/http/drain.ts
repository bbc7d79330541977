/**
 * Stopping without losing a request. Whoever sends requests here (a proxy, a hasp) has to notice first: so `/readyz` says no at
 * once and every answer ends its connection, while requests are still taken for a while; then nobody new is let in, and what is
 * under way is answered.
 */
import type { IncomingMessage, ServerResponse } from "node:http";
import type { Socket } from "node:net";
import { setTimeout as pause } from "node:timers/promises";
import type { FastifyInstance } from "fastify";

/** Milliseconds that requests under way are waited for, once nobody new is let in. */
const DRAIN_TIMEOUT_MS = 8_000;
/** On one connection: whoever sends many at once and reads nothing fills no memory. Browsers and proxies send one at a time. */
const MAX_PIPELINED = 32;
/** Milliseconds between two looks. */
const LOOK_EVERY = 20;

export class Drain {
  /** The service was told to stop. */
  isOn = false;
  #underWay = 0;
  readonly #ofConnection = new WeakMap<Socket, number>();

  /** Notes a request until it is answered. @returns `false` where its connection has too many under way, and was ended. */
  begin({ socket }: Pick<IncomingMessage, "socket">, response: ServerResponse): boolean {
    const count = (this.#ofConnection.get(socket) ?? 0) + 1;
    if (count > MAX_PIPELINED) {
      socket.destroy();
      return false;
    }
    this.#ofConnection.set(socket, count);
    this.#underWay += 1;
    response.once("close", () => {
      this.#ofConnection.set(socket, (this.#ofConnection.get(socket) ?? 1) - 1);
      this.#underWay -= 1;
    });
    return true;
  }

  /** Waits until nothing is under way, or for so many milliseconds. @returns how many requests were left. */
  async empty(patience: number): Promise<number> {
    const end = performance.now() + patience;
    while (this.#underWay > 0 && performance.now() < end) await pause(LOOK_EVERY);
    return this.#underWay;
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
    // With several addresses (localhost is two) the framework cuts the others off as soon as the first one is closed.
    if (app.addresses().length === 1) app.server.close();
    app.server.closeIdleConnections();
    const left = await drain.empty(DRAIN_TIMEOUT_MS);
    if (left > 0) app.log.warn({ left }, "requests under way were not answered in time");
  });
}
