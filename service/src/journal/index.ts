import type { Capability } from "../capability.ts";
import { journalRoutes } from "./routes.ts";

export const journal: Capability = {
  routes: ({ context }) => journalRoutes(context),
};
