import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { showAccount } from "../account/show.ts";
import type { ServiceContext } from "../context.ts";
import { answer, mount } from "../http/mount.ts";
import { visitOf } from "../http/visit.ts";
import { pageOf } from "../storage/index.ts";
import { deliverSession } from "./deliver.ts";
import { reauthenticate } from "./reauthenticate.ts";
import { endSessionAsOperator, showSession, showSessionToOperator, signOut } from "./session.ts";
import { listSessions } from "./store.ts";

/** `GET/DELETE /v1/session`, and the operators' sessions. */
export function sessionRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.showSession, async (_received, { caller }) =>
      answer(200, { session: showSession(caller.session, true), account: showAccount(caller.account) }),
    );

    mount(app, routes.signOut, async (_received, { caller, request, reply }) => {
      await signOut(context, caller, visitOf(request));
      void reply.header("set-cookie", context.ownCookie.remove());
      return answer(204, undefined);
    });

    mount(app, routes.reauthenticate, async ({ body }, { caller, request, reply }) => {
      const begun = await reauthenticate(context, caller, {
        password: body.proof.password,
        visit: visitOf(request),
        mark: context.deviceCookie.read(request.headers.cookie),
      });
      // The new token takes the way that the old one came.
      const deliver = request.headers.authorization === undefined ? "cookie" : "token";
      return answer(201, deliverSession(context, reply, begun, deliver));
    });

    mount(app, routes.listSessions, async ({ query }, { caller }) => {
      const rows = await listSessions(context.dataSource, query, query);
      const now = context.clock.now();
      const body = pageOf(rows, query, (row) =>
        showSessionToOperator(row, { now, current: row.id === caller.session.id }),
      );
      return answer(200, body);
    });

    mount(app, routes.endSession, async ({ params }, { caller, request }) => {
      await endSessionAsOperator(context, caller, params.id, visitOf(request));
      return answer(204, undefined);
    });
  };
}
