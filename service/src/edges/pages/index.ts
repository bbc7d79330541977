import type { Capability } from "../capability/capability.ts";
import { pageRoutes } from "./routes.ts";

export const pages: Capability = {
  routes: ({ context, shell }) => pageRoutes(context, shell),
};
