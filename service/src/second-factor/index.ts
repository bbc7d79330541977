import type { Capability } from "../capability.ts";
import { DAY } from "../duration.ts";
import { keptAsThing } from "../recovery/kept.ts";
import { startResealing } from "./reseal.ts";
import { secondFactorRoutes } from "./routes.ts";
import { sweepEnrolments, sweepRemoved } from "./store.ts";

export const secondFactors: Capability = {
  routes: ({ context }) => secondFactorRoutes(context),
  background: startResealing,
  sweeps: [
    { what: "enrolments that were not finished", keepFor: () => DAY, run: sweepEnrolments },
    {
      what: "authenticators and recovery codes that were removed or replaced",
      keepFor: ({ links }) => keptAsThing(links),
      run: sweepRemoved,
    },
  ],
};
