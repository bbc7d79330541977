import type { Capability } from "../capability/capability.ts";
import { healthRoutes } from "./routes.ts";

export const health: Capability = {
  routes: ({ context, metrics, drain }) => healthRoutes(context, { metrics, drain }),
};
