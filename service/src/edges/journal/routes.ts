import { routes } from "@lucchetto/contract";
import { readHead } from "@lucchetto/core";
import type { FastifyPluginAsync } from "fastify";
import { pageOf } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { startChaining } from "../../records/journal/chain-work.ts";
import { ageOfUnchained, describeHead, sweepEntries, verifyPart } from "../../records/journal/chain.ts";
import { showEntry } from "../../records/journal/journal.ts";
import { readKeptHead } from "../../records/journal/kept-head.ts";
import { findNames, listEntries } from "../../records/journal/store.ts";
import type { Capability } from "../capability/capability.ts";

const NOBODY = { accountName: null, actorName: null, appName: null };

/** `/v1/operator/journal`. */
function journalRoutes(context: ServiceContext): FastifyPluginAsync {
  const { dataSource, configuration } = context;
  const { headFile } = configuration.journal;
  return async (app) => {
    const keptHere = async () => (headFile === undefined ? null : readKeptHead(headFile, app.log));
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
    mount(app, routes.showJournalHead, async () => answer(200, await describeHead(context)));
    mount(app, routes.verifyJournal, async ({ query: { after, head } }) => {
      // Read before the chain is, which only grows.
      const kept = head === undefined ? await keptHere() : readHead(head);
      return answer(200, await verifyPart(context, { after, kept }));
    });
  };
}

export const journal: Capability = {
  routes: ({ context }) => journalRoutes(context),
  background: startChaining,
  gauges: [
    {
      name: "lucchetto_journal_unchained_seconds",
      help: "Age of the oldest event of the journal that is not chained yet; 0 where all are, or without a key ring",
      read: ageOfUnchained,
    },
  ],
  sweeps: [
    {
      what: "entries of the journal",
      keepFor: ({ journal: { keepFor } }) => keepFor,
      run: sweepEntries,
    },
  ],
};
