/** Looking inside. Registered in development mode only; production has no such routes. */
import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { ProblemReply } from "../../base/problem.ts";
import { answer, mount } from "../../records/http/mount.ts";
import type { Parts } from "../capability/capability.ts";
import { insideFiles } from "./files.ts";
import { sessionsOf, traceOf } from "./read.ts";
import type { Watch, Watched } from "./watch.ts";
import { visitorOf } from "./watch.ts";

/** `GET /v1/development/traces` and `/{requestId}`. */
export function insideRoutes({ context }: Parts, watch: Watch): FastifyPluginAsync {
  const { scheme } = context.hashing;
  return async (app) => {
    await app.register(insideFiles);

    mount(app, routes.listTraces, async ({ query }, { request }) => {
      const { visitor } = visitorOf(request.headers, request.socket.remoteAddress ?? "");
      const found = query.of === "all" ? watch.requests : ofVisitor(watch.requests, visitor);
      return answer(200, { items: found.slice(0, query.limit).map((one) => traceOf(one, scheme)) });
    });

    mount(app, routes.showTrace, async ({ params }) => {
      const found = watch.requests.find(({ requestId }) => requestId === params.requestId);
      if (found === undefined) throw new ProblemReply("not-found");
      return answer(200, traceOf(found, scheme));
    });
  };
}

/** Its own requests, and what applications asked about its sessions. */
function ofVisitor(requests: readonly Watched[], visitor: string): Watched[] {
  const own = new Set(requests.filter((one) => one.visitor === visitor));
  const sessions = new Set([...own].flatMap(sessionsOf));
  return requests.filter((one) => own.has(one) || sessionsOf(one).some((id) => sessions.has(id)));
}
