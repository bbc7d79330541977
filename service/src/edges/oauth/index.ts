import { DAY } from "../../base/duration.ts";
import { sweepCodes } from "../../records/oauth/store.ts";
import type { Capability } from "../capability/capability.ts";
import { checkRoutes } from "./check-routes.ts";
import { oauthRoutes } from "./routes.ts";

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
