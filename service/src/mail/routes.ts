import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import type { ServiceContext } from "../context.ts";
import { answer, mount } from "../http/mount.ts";
import { listMailbox } from "./mail.ts";

/** The mailbox: for operators, and in development mode for whoever reaches loopback. */
export function mailRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.listMailbox, async ({ query }) => answer(200, await listMailbox(context, query)));
    if (context.configuration.mode === "development") {
      mount(app, routes.listDevelopmentMailbox, async ({ query }) =>
        answer(200, await listMailbox(context, query)),
      );
    }
  };
}
