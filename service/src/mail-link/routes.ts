import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import type { ServiceContext } from "../context.ts";
import { answer, mount } from "../http/mount.ts";
import { ProblemReply } from "../http/problem.ts";
import { visitOf } from "../http/visit.ts";
import { countMailAsked } from "../throttle/throttle.ts";
import { sendLink } from "./ask.ts";
import { readLink, resetPassword } from "./redeem.ts";

/** `/v1/mail-links`. */
export function mailLinkRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    /** What was begun after a reply, waited for before the service closes. */
    const underway = new Set<Promise<void>>();
    app.addHook("onClose", async () => {
      await Promise.all(underway);
    });

    mount(app, routes.askForLink, async ({ body }, { request }) => {
      // Until mail can be sent, only the mailbox of development catches it: better said than swallowed.
      if (context.configuration.mode === "production") throw new ProblemReply("mail-missing");
      const visit = visitOf(request);
      await countMailAsked(context, visit.network);
      const mark = context.deviceCookie.read(request.headers.cookie);
      const work = sendLink(context, { ...body, visit, mark })
        .catch((error: unknown) => request.log.error({ err: error }, "a mailed link could not be written"))
        .finally(() => underway.delete(work));
      underway.add(work);
      return answer(202, {});
    });

    mount(app, routes.lookAtLink, async ({ body }) => {
      const { link, account } = await readLink(context, body.secret);
      const name = account.email ?? account.username ?? "";
      return answer(200, { purpose: link.purpose, name, expiresAt: link.expiresAt.toISOString() });
    });

    mount(app, routes.redeemLink, async ({ body }, { request }) => {
      await resetPassword(context, { ...body, visit: visitOf(request) });
      return answer(200, { outcome: "password-set" as const });
    });
  };
}
