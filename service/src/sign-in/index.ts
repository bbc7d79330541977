import type { Capability } from "../capability.ts";
import { DAY } from "../duration.ts";
import { keepSignInCounts } from "./figures.ts";
import { signInRoutes } from "./routes.ts";
import { sweepSignInCounts, sweepSignIns } from "./store.ts";

export const signIns: Capability = {
  routes: ({ context }) => signInRoutes(context),
  background: keepSignInCounts,
  sweeps: [
    { what: "sign-ins that were not finished", keepFor: () => DAY, run: sweepSignIns },
    { what: "counts of how people signed in", keepFor: () => 400 * DAY, run: sweepSignInCounts },
  ],
};
