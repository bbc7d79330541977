import { DAY } from "../../base/duration.ts";
import { MAX_AGE_SECONDS } from "../../base/http/host-cookie.ts";
import { keptAsThing } from "../../people/recovery/kept.ts";
import { sweepCounts, sweepDevices, sweepForgottenDevices } from "../../records/throttle/store.ts";
import type { Capability } from "../capability/capability.ts";
import { throttleRoutes } from "./routes.ts";

export const throttle: Capability = {
  routes: ({ context }) => throttleRoutes(context),
  background: ({ refusals }) => refusals,
  sweeps: [
    { what: "counts of failures of names and networks", keepFor: () => DAY, run: sweepCounts },
    // As long as a browser keeps its mark.
    { what: "known devices that nobody uses", keepFor: () => MAX_AGE_SECONDS * 1_000, run: sweepDevices },
    {
      what: "known devices that were forgotten, as after a reset",
      keepFor: ({ links }) => keptAsThing(links),
      run: sweepForgottenDevices,
    },
  ],
};
