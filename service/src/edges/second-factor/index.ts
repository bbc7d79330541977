import { DAY } from "../../base/duration.ts";
import { keptAsThing } from "../../people/recovery/kept.ts";
import { startResealing } from "../../people/second-factor/reseal.ts";
import { sweepEnrolments, sweepRemoved } from "../../records/second-factor/store.ts";
import type { Capability } from "../capability/capability.ts";
import { secondFactorRoutes } from "./routes.ts";

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
