import { DAY } from "../../base/duration.ts";
import { eraseClosed } from "../../people/account/erase.ts";
import { sweepRegistrations } from "../../records/account/registration-store.ts";
import type { Capability } from "../capability/capability.ts";
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
