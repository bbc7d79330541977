import type { Capability } from "../capability.ts";
import { DAY } from "../capability.ts";
import { throttleRoutes } from "./routes.ts";
import { sweepCounts } from "./store.ts";

export const throttle: Capability = {
  routes: ({ context }) => throttleRoutes(context),
  sweeps: [{ what: "counts of failures of names and networks", keepFor: () => DAY, run: sweepCounts }],
};
