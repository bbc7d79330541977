import type { Capability } from "../capability.ts";
import { sweepEntries } from "./chain.ts";
import { startChaining } from "./chain-work.ts";
import { journalRoutes } from "./routes.ts";

export const journal: Capability = {
  routes: ({ context }) => journalRoutes(context),
  background: startChaining,
  sweeps: [
    {
      what: "entries of the journal",
      keepFor: ({ journal: { keepFor } }) => keepFor,
      run: sweepEntries,
    },
  ],
};
