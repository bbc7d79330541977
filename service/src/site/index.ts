/** The site's own look: its stylesheet and its mark. */
import type { Capability } from "../capability.ts";
import { siteRoutes } from "./site.ts";

export const site: Capability = {
  routes: ({ context: { configuration } }) => siteRoutes(configuration),
};
