/** Development alone: the clock that can be moved. */
import type { Capability } from "../capability/capability.ts";
import { clockRoutes } from "./routes.ts";

export const movableClock: Capability = {
  routes: ({ clock }) => ("refresh" in clock ? clockRoutes(clock) : async () => undefined),
};
