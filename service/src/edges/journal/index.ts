import { ageOfUnchained, sweepEntries } from "../../records/journal/chain.ts";
import { startChaining } from "../../records/journal/chain-work.ts";
import type { Capability } from "../capability/capability.ts";
import { journalRoutes } from "./routes.ts";

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
