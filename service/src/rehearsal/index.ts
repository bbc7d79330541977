/** Development alone: walks through applications, for the console. */
import type { Capability } from "../capability.ts";
import { rehearsalRoutes } from "./routes.ts";

export const rehearsals: Capability = {
  routes: ({ context }) =>
    context.configuration.mode === "development" ? rehearsalRoutes(context) : async () => undefined,
};
