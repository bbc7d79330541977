import type { Capability } from "../capability.ts";
import { DAY } from "../capability.ts";
import { oauthRoutes } from "./routes.ts";
import { sweepCodes } from "./store.ts";

export const oauth: Capability = {
  routes: ({ context, shell }) => oauthRoutes(context, shell),
  // Kept for the sake of reuse being noticed.
  sweeps: [{ what: "authorization codes", keepFor: () => DAY, run: sweepCodes }],
};
