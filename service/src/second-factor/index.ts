import { PREPARING } from "@lucchetto/core";
import type { Capability } from "../capability.ts";
import { DAY } from "../capability.ts";
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
      // As long as a change can be undone, and those days before it in which an intruder may have prepared it.
      keepFor: ({ links }) => links["undo-factor"] + PREPARING + DAY,
      run: sweepRemoved,
    },
  ],
};
