import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import type { ServiceContext } from "../context.ts";
import { answer, mount } from "../http/mount.ts";
import { pageOf } from "../storage/index.ts";
import { showEntry } from "./journal.ts";
import { findNames, listEntries } from "./store.ts";

const NOBODY = { accountName: null, actorName: null, appName: null };

/** `GET /v1/operator/journal`. */
export function journalRoutes({ dataSource }: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.listJournal, async ({ query }) => {
      const rows = await listEntries(dataSource, query, query);
      const page = pageOf(rows, query, showEntry);
      const names = await findNames(
        dataSource,
        page.items.map(({ id }) => id),
      );
      const items = page.items.map((entry) => ({ ...entry, ...(names.get(entry.id) ?? NOBODY) }));
      return answer(200, { ...page, items });
    });
  };
}
