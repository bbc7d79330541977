import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import type { ServiceContext } from "../context.ts";
import { answer, mount } from "../http/mount.ts";
import { pageOf } from "../storage/index.ts";
import { showEntry } from "./journal.ts";
import { listEntries } from "./store.ts";

/** `GET /v1/operator/journal`. */
export function journalRoutes({ dataSource }: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.listJournal, async ({ query }) => {
      const rows = await listEntries(dataSource, query, query);
      return answer(200, pageOf(rows, query, showEntry));
    });
  };
}
