import type { Capability } from "../capability.ts";
import { journalRoutes } from "./routes.ts";
import { sweepEntries } from "./store.ts";

export const journal: Capability = {
  routes: ({ context }) => journalRoutes(context),
  sweeps: [
    {
      what: "entries of the journal",
      keepFor: ({ journal: { keepFor } }) => keepFor,
      run: sweepEntries,
    },
  ],
};
