import type { Capability } from "../capability.ts";
import { DAY } from "../duration.ts";
import { eraseClosed } from "./erase.ts";
import { sweepRegistrations } from "./registration-store.ts";
import { accountRoutes } from "./routes.ts";

export const accounts: Capability = {
  routes: ({ context }) => accountRoutes(context),
  sweeps: [
    { what: "registrations whose link has expired", keepFor: () => DAY, run: sweepRegistrations },
    {
      what: "closed accounts, `accounts.eraseAfter` after their owners asked",
      keepFor: () => 0,
      run: eraseClosed,
    },
  ],
};
