import type { Capability } from "../capability.ts";
import { DAY } from "../duration.ts";
import { checkRoutes } from "./check-routes.ts";
import { oauthRoutes } from "./routes.ts";
import { sweepCodes } from "./store.ts";

export const oauth: Capability = {
  routes:
    ({ context, shell }) =>
    async (app) => {
      await app.register(oauthRoutes(context, shell));
      await app.register(checkRoutes(context));
    },
  // Kept for the sake of reuse being noticed.
  sweeps: [{ what: "authorization codes", keepFor: () => DAY, run: sweepCodes }],
};
