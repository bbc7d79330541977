import type { Capability } from "../capability.ts";
import { DAY } from "../capability.ts";
import { secondFactorRoutes } from "./routes.ts";
import { sweepEnrolments } from "./store.ts";

export const secondFactors: Capability = {
  routes: ({ context }) => secondFactorRoutes(context),
  sweeps: [{ what: "enrolments that were not finished", keepFor: () => DAY, run: sweepEnrolments }],
};
