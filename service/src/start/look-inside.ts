/** The door to looking inside. In development it opens; in production nothing of what is behind it is even loaded. */
import type { IncomingMessage } from "node:http";
import type { FastifyPluginAsync } from "fastify";
import type { Parts } from "../edges/capability/capability.ts";
import type { ServiceContext } from "../records/context.ts";
import type { RequestWrapper } from "../records/http/server.ts";
import type { ServiceParts } from "./make-context.ts";

interface Inspector {
  /** Stands around each request; `undefined`: nothing does. */
  readonly around: RequestWrapper | undefined;
  /** Makes ids of requests known to it. */
  named(idOf: (request: IncomingMessage) => string): (request: IncomingMessage) => string;
  /** The same, watched. */
  context(context: ServiceContext): ServiceContext;
  /** The script that is added to the pages, below the public address; `null`: none. */
  readonly script: string | null;
  readonly routes: (parts: Parts) => FastifyPluginAsync;
}

const CLOSED: Inspector = {
  around: undefined,
  named: (idOf) => idOf,
  context: (context) => context,
  script: null,
  routes: () => async () => undefined,
};

export async function openInspector({ configuration, clock }: ServiceParts): Promise<Inspector> {
  if (configuration.mode !== "development" || configuration.lookInside === "off") return CLOSED;
  return (await import("../edges/inside/index.ts")).openInside(clock);
}
