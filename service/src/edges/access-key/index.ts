import type { Capability } from "../capability/capability.ts";
import { accessKeyRoutes } from "./routes.ts";

export const accessKeys: Capability = {
  routes: ({ context }) => accessKeyRoutes(context),
};
