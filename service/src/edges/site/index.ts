/** The site's own look: its stylesheet and its mark. */
import { siteRoutes } from "../../records/site/site.ts";
import type { Capability } from "../capability/capability.ts";

export const site: Capability = {
  routes: ({ context: { configuration } }) => siteRoutes(configuration),
};
