import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync, FastifyRequest } from "fastify";
import type { ServiceContext } from "../context.ts";
import { afterReplies } from "../http/after-reply.ts";
import { browserMarkOf, handMarkOver, markOf } from "../http/device-mark.ts";
import { answer, mount } from "../http/mount.ts";
import { ownPathOf } from "../http/return-path.ts";
import { tokenDeliveryOf } from "../http/token-delivery.ts";
import { visitOf } from "../http/visit.ts";
import { ProblemReply } from "../problem.ts";
import { countMailAsked } from "../throttle/throttle.ts";
import { beginByMail } from "./ask.ts";
import { keepAsked } from "./asked.ts";
import { askForEmail } from "./change-email.ts";
import { confirmChange } from "./confirm-change.ts";
import { invite } from "./invitation.ts";
import { lookAtLink } from "./read.ts";
import { redeemLink } from "./redeem.ts";
import type { BrowserMarks } from "./redemption.ts";

/** `/v1/mail-links`, and what else sends a link. */
export function mailLinkRoutes(context: ServiceContext): FastifyPluginAsync {
  const marksOf = (request: FastifyRequest): BrowserMarks => ({
    mark: markOf(context, request),
    session: async () => (await request.server.readCaller(request))?.session.id ?? null,
    signInToken: context.signInCookie.read(request.headers.cookie),
  });
  return async (app) => {
    const afterReply = afterReplies(app);

    mount(app, routes.askForLink, async ({ body }, { request, reply }) => {
      if (context.configuration.mail.via === "none") throw new ProblemReply("mail-missing");
      const { purpose, identifier } = body;
      const { deliver, isBrowser } = tokenDeliveryOf(request, body.deliver);
      const visit = visitOf(request);
      await countMailAsked(context, visit.network);
      const browser = isBrowser ? browserMarkOf(context, request) : null;
      if (browser?.isNew) handMarkOver(context, { request, reply }, browser.mark);
      const mark = browser?.mark;
      const asking = { identifier, visit, mark };
      if (purpose !== "sign-in") {
        afterReply(request, "a mailed link", await keepAsked(context, { purpose, asking }));
        return answer(202, {});
      }
      const kind = body.remember === true ? "remembered" : "ordinary";
      const returnTo = ownPathOf(context.configuration.publicUrl, body.returnTo);
      const { id, token } = await beginByMail(context, { visit, kind, returnTo });
      const asked = await keepAsked(context, { purpose, asking, signInId: id });
      afterReply(request, "a mailed link", asked);
      if (deliver === "token") return answer(202, { token });
      void reply.header("set-cookie", context.signInCookie.write(token));
      return answer(202, {});
    });

    mount(app, routes.lookAtLink, async ({ body }, { request }) =>
      answer(200, await lookAtLink(context, body.secret, marksOf(request))),
    );

    mount(app, routes.redeemLink, async ({ body }, { request }) =>
      answer(200, await redeemLink(context, { ...body, visit: visitOf(request), marks: marksOf(request) })),
    );

    mount(app, routes.changeEmail, async ({ body }, { caller, request }) => {
      const visit = visitOf(request);
      await countMailAsked(context, visit.network);
      const { mark } = marksOf(request);
      const change = await askForEmail(context, caller, { email: body.email, visit, mark });
      const asked = await keepAsked(context, { purpose: "change-email", change });
      afterReply(request, "a link to a new address", asked);
      return answer(202, {});
    });

    mount(app, routes.confirmEmail, async ({ body }, { caller, request }) =>
      answer(200, await confirmChange(context, caller, { code: body.code, visit: visitOf(request) })),
    );

    mount(app, routes.inviteAccount, async ({ body }, { caller, request }) => {
      const { isNew, account } = await invite(context, { operator: caller }, body, visitOf(request));
      return isNew ? answer(201, account) : answer(200, account);
    });
  };
}
