/** Development alone: walks through applications, for the console. */
import type { Capability } from "../capability/capability.ts";
import { rehearsalRoutes } from "./routes.ts";
import { expireRehearsalAccounts } from "./tidy.ts";

export const rehearsals: Capability = {
  routes: ({ context }) =>
    context.configuration.mode === "development" ? rehearsalRoutes(context) : async () => undefined,
  sweeps: [
    { what: "closed accounts of rehearsals, in development", keepFor: () => 0, run: expireRehearsalAccounts },
  ],
};
