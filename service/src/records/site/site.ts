/** What makes the pages the site's own: its colour, its picture, and a stylesheet of the operator's. */
import { createHash } from "node:crypto";
import type { FastifyPluginAsync } from "fastify";
import type { Configuration } from "../../base/config/index.ts";
import { DEFAULT_COLOUR } from "../../base/config/index.ts";
import { contrastColour } from "../../base/mail-text/colour.ts";

const SITE_STYLE_PATH = "/site.css";
export const SITE_LOGO_PATH = "/site-logo";

/** How far the colour goes towards white on the dark pages. */
const LIGHTENED = 0.45;

/** The stylesheet after the pages' own; empty where the site says nothing. */
export function siteStyle({ site, stylesheet }: Pick<Configuration, "site" | "stylesheet">): string {
  const own = stylesheet ?? "";
  if (site.colour.toLowerCase() === DEFAULT_COLOUR) return own;
  const light = lighten(site.colour);
  return `:root{--brass:${site.colour};--on-brass:${contrastColour(site.colour)}}
@media (prefers-color-scheme:dark){:root{--brass:${light};--on-brass:${contrastColour(light)}}}
${own}`;
}

/** The version in the address, so that browsers may keep it. */
export function siteStyleAddress(basePath: string, style: string): string {
  const version = createHash("sha256").update(style).digest("hex").slice(0, 12);
  return `${basePath}${SITE_STYLE_PATH}?v=${version}`;
}

function lighten(colour: string): string {
  const parts = [1, 3, 5].map((at) => {
    const part = Number.parseInt(colour.slice(at, at + 2), 16);
    return Math.round(part + (255 - part) * LIGHTENED)
      .toString(16)
      .padStart(2, "0");
  });
  return `#${parts.join("")}`;
}

/** `/site.css` and `/site-logo`. */
export function siteRoutes(configuration: Configuration): FastifyPluginAsync {
  const style = siteStyle(configuration);
  const { logo } = configuration;
  return async (app) => {
    app.get(SITE_STYLE_PATH, async (_request, reply) =>
      reply.header("cache-control", "public, max-age=86400").type("text/css; charset=utf-8").send(style),
    );
    if (logo !== null) {
      app.get(SITE_LOGO_PATH, async (_request, reply) =>
        reply.header("cache-control", "public, max-age=3600").type(logo.type).send(logo.content),
      );
    }
  };
}
