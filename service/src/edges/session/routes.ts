import { routes, SESSION_EVENTS_PATH } from "@lucchetto/contract";
import {
  EVENT_STREAM_HEADERS,
  EVENT_STREAM_START,
  keepSessionStreams,
} from "@lucchetto/contract/session-streams";
import type { FastifyPluginAsync } from "fastify";
import { ProblemReply } from "../../base/problem.ts";
import { pageOf } from "../../base/storage/index.ts";
import { issueCheckToken } from "../../flows/oauth/issue.ts";
import { reauthenticate } from "../../flows/session/reauthenticate.ts";
import { clearSessionCookies, deliverSession } from "../../people/session/deliver.ts";
import { endOtherSessions, endOwnSession, listOwnSessions } from "../../people/session/own.ts";
import {
  endSessionAsOperator,
  showSession,
  showSessionToOperator,
  signOut,
} from "../../people/session/session.ts";
import { showAccount } from "../../records/account/show.ts";
import { listHomesOf } from "../../records/app/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import { readDeviceMark } from "../../records/http/device-cookie.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf } from "../../records/http/visit.ts";
import { findLiving, listSessions, namesBeside, sweepSessions } from "../../records/session/store.ts";
import type { Capability } from "../capability/capability.ts";

/** `GET/DELETE /v1/session`, and the operators' sessions. */
function sessionRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.showSession, async (_received, { caller }) =>
      answer(200, {
        session: showSession(caller.session, { now: context.clock.now(), current: true }),
        account: showAccount(caller.account),
      }),
    );

    mount(app, routes.makeCheckToken, async (_received, { caller, request }) => {
      const appId = request.behalf?.appId ?? null;
      if (appId === null || caller.session.appId !== appId) throw new ProblemReply("own-forms-needed");
      const checkToken = await issueCheckToken(context, caller, { appId, visit: visitOf(request) });
      return answer(201, { checkToken });
    });

    mount(app, routes.signOut, async (_received, { caller, request, reply }) => {
      await signOut(context, caller, visitOf(request));
      clearSessionCookies(context, reply);
      return answer(204, undefined);
    });

    const streams = keepSessionStreams(
      (ids) => findLiving(context.dataSource, ids, context.clock.now()),
      (error) => app.log.debug({ err: error }, "the sessions of streams could not be asked for"),
    );
    app.addHook("preClose", async () => streams.close());
    app.get(SESSION_EVENTS_PATH, async (request, reply) => {
      app.assertOwnOrigin(request);
      const caller = await app.readCaller(request);
      // 204 tells a browser not to connect again (HTML, section 9.2.3).
      if (caller === null) return reply.status(204).header("cache-control", "no-store").send();
      if (!streams.keep(caller.session.id, reply.raw)) throw new ProblemReply("too-busy", { retryAfter: 5 });
      reply.hijack();
      reply.raw.writeHead(200, {
        ...(reply.getHeaders() as Record<string, string>),
        ...EVENT_STREAM_HEADERS,
      });
      reply.raw.write(EVENT_STREAM_START);
    });

    mount(app, routes.listOwnSessions, async (_received, { caller }) =>
      answer(200, { items: await listOwnSessions(context, caller) }),
    );

    mount(app, routes.listOwnApps, async (_received, { caller }) =>
      answer(200, { items: await listHomesOf(context.dataSource, caller.account.id) }),
    );

    mount(app, routes.endOwnSession, async ({ params }, { caller, request, reply }) => {
      await endOwnSession(context, caller, params.id, visitOf(request));
      if (params.id === caller.session.id) clearSessionCookies(context, reply);
      return answer(204, undefined);
    });

    mount(app, routes.endOtherSessions, async (_received, { caller, request }) =>
      answer(200, { ended: await endOtherSessions(context, caller, visitOf(request)) }),
    );

    mount(app, routes.findLivingSessions, async ({ body }, { caller }) => {
      context.appUsage.note(caller.appId, "living");
      const living = await findLiving(context.dataSource, body.ids, context.clock.now());
      return answer(200, { ids: [...living] });
    });

    mount(app, routes.reauthenticate, async ({ body }, { caller, request, reply }) => {
      const visit = visitOf(request);
      const mark = readDeviceMark(context, request);
      const begun = await reauthenticate(context, caller, { proof: body.proof, visit, mark });
      if (begun.outcome === "proof-wanted") {
        const { wanted, expiresAt } = begun;
        const still = { wanted: [...wanted], expiresAt: expiresAt.toISOString() };
        return answer(202, { outcome: "proof-wanted" as const, ...still });
      }
      // The new token takes the way that the old one came.
      const deliver = request.headers.authorization === undefined ? "cookie" : "token";
      return answer(201, deliverSession(context, reply, begun, deliver));
    });

    mount(app, routes.listSessions, async ({ query }, { caller }) => {
      const rows = await listSessions(context.dataSource, query, query);
      const now = context.clock.now();
      const names = await namesBeside(
        context.dataSource,
        rows.map(({ id }) => id),
      );
      const body = pageOf(rows, query, (row) => {
        const current = row.id === caller.session.id;
        return showSessionToOperator(row, { now, current, names: names.get(row.id) });
      });
      return answer(200, body);
    });

    mount(app, routes.endSession, async ({ params }, { caller, request }) => {
      await endSessionAsOperator(context, caller, params.id, visitOf(request));
      return answer(204, undefined);
    });
  };
}

export const sessions: Capability = {
  routes: ({ context }) => sessionRoutes(context),
  sweeps: [
    {
      what: "sessions that have ended",
      keepFor: ({ sessions: { keepEnded } }) => keepEnded,
      run: sweepSessions,
    },
  ],
  background: ({ lastSeen }) => lastSeen,
};
