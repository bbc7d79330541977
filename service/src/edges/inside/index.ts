/** Development alone: what was done for each of the last requests. */
import type { IncomingMessage } from "node:http";
import type { Clock } from "../../base/clock/clock.ts";
import type { ServiceContext } from "../../records/context.ts";
import type { RequestWrapper } from "../../records/http/server.ts";
import type { Parts } from "../capability/capability.ts";
import { FILES_PATH } from "./files.ts";
import { insideRoutes } from "./routes.ts";
import { Watch } from "./watch.ts";

/** Opens it: from now on requests are watched. @returns what the service lets in at its door (`look-inside.ts`). */
export function openInside(clock: Clock) {
  const watch = new Watch(clock);
  const around: RequestWrapper = (...exchange) => watch.around(...exchange);
  return {
    around,
    named: (idOf: (request: IncomingMessage) => string) => watch.named(idOf),
    context: (context: ServiceContext) => watch.context(context),
    script: `${FILES_PATH}/start.js`,
    routes: (parts: Parts) => insideRoutes(parts, watch),
  };
}
