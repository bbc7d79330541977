import type { Capability } from "../capability.ts";
import { healthRoutes } from "./routes.ts";

export const health: Capability = {
  routes: ({ context, metrics, drain }) => healthRoutes(context, { metrics, drain }),
};
