import type { Capability } from "../capability/capability.ts";
import { proxyCheckRoutes } from "./routes.ts";

export const proxyCheck: Capability = {
  routes: ({ context, shell }) => proxyCheckRoutes(context, shell),
};
