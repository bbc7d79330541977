import type { Capability } from "../capability/capability.ts";
import { appAccountRoutes } from "./routes.ts";

export const appAccounts: Capability = {
  routes: ({ context }) => appAccountRoutes(context),
};
