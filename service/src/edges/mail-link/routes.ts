import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync, FastifyRequest } from "fastify";
import { DAY } from "../../base/duration.ts";
import { afterReplies } from "../../base/http/after-reply.ts";
import { ownPathOf } from "../../base/http/return-path.ts";
import { tokenDeliveryOf } from "../../base/http/token-delivery.ts";
import { ProblemReply } from "../../base/problem.ts";
import { beginByMail } from "../../flows/mail-link/ask.ts";
import { askForEmail } from "../../flows/mail-link/change-email.ts";
import { confirmChange } from "../../flows/mail-link/confirm-change.ts";
import { invite } from "../../flows/mail-link/invitation.ts";
import {
  persistMailRequest,
  resumeAbandonedRequests,
  sweepAsked,
} from "../../flows/mail-link/mail-requests.ts";
import { lookAtLink } from "../../flows/mail-link/read.ts";
import { redeemLink } from "../../flows/mail-link/redeem.ts";
import type { BrowserMarks } from "../../flows/mail-link/redemption.ts";
import { signInTokenOf } from "../../flows/sign-in/caller.ts";
import { sweepHeld } from "../../records/account/held.ts";
import type { ServiceContext } from "../../records/context.ts";
import { browserMarkOf, readDeviceMark, setDeviceCookie } from "../../records/http/device-cookie.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf } from "../../records/http/visit.ts";
import { sweepLinks } from "../../records/mail-link/store.ts";
import { countMailAsked } from "../../records/throttle/throttle.ts";
import type { Capability } from "../capability/capability.ts";

/** `/v1/mail-links`, and what else sends a link. */
function mailLinkRoutes(context: ServiceContext): FastifyPluginAsync {
  const marksOf = (request: FastifyRequest): BrowserMarks => ({
    mark: readDeviceMark(context, request),
    session: async () => (await request.server.readCaller(request))?.session.id ?? null,
    signInToken: signInTokenOf(context, request),
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
      if (browser?.isNew) setDeviceCookie(context, { request, reply }, browser.mark);
      const mark = browser?.mark;
      const returnTo = ownPathOf(context.configuration.publicUrl, body.returnTo);
      const asking = { identifier, visit, mark, returnTo };
      if (purpose !== "sign-in") {
        afterReply(request, "a mailed link", await persistMailRequest(context, { purpose, asking }));
        return answer(202, {});
      }
      const kind = body.remember === true ? "remembered" : "ordinary";
      const { id, token } = await beginByMail(context, { visit, kind, returnTo });
      const asked = await persistMailRequest(context, { purpose, asking, signInId: id });
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
      const asked = await persistMailRequest(context, { purpose: "change-email", change });
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

export const mailLinks: Capability = {
  routes: ({ context }) => mailLinkRoutes(context),
  background: resumeAbandonedRequests,
  // A day beyond its life a link still says why it does nothing.
  sweeps: [
    { what: "links that were asked for and could not be sent", keepFor: () => DAY, run: sweepAsked },
    { what: "links that have expired", keepFor: () => DAY, run: sweepLinks },
    { what: "addresses that were held for their former owner", keepFor: () => DAY, run: sweepHeld("email") },
    {
      what: "usernames that were held for their former owner",
      keepFor: () => DAY,
      run: sweepHeld("username"),
    },
  ],
};
