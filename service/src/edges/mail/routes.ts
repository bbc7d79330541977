import type { MailboxItem } from "@lucchetto/contract";
import { mailHtmlPath, routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { DAY } from "../../base/duration.ts";
import { assertFromThisMachine } from "../../base/http/forwarded.ts";
import type { ServiceContext } from "../../records/context.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { htmlOf, listMailbox, mailInFull, repeatMail } from "../../records/mail/mail.ts";
import { sweepMails } from "../../records/mail/store.ts";
import type { Capability } from "../capability/capability.ts";
import { isAuditorOnly } from "../operator/guard.ts";
import { startSending } from "./outbox.ts";

/** Nothing but inline styles and pictures within; its links open in a window of their own. */
const MAIL_POLICY =
  "default-src 'none'; style-src 'unsafe-inline'; img-src data:; base-uri 'none'; form-action 'none'; frame-ancestors 'self'; sandbox allow-popups allow-popups-to-escape-sandbox";

/** As auditors see it: a link in it would be as good as the mailbox. */
function withoutBody(item: MailboxItem): MailboxItem {
  return { ...item, text: "", html: "", links: [] };
}

/** The mail log: for operators, and in development mode with the bodies and for whoever reaches loopback. */
function mailRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.listMailbox, async ({ query }, { caller }) => {
      const page = await listMailbox(context, query);
      return answer(200, isAuditorOnly(caller) ? { ...page, items: page.items.map(withoutBody) } : page);
    });
    mount(app, routes.showMail, async ({ params }, { caller }) => {
      const mail = await mailInFull(context, params.id);
      return answer(200, isAuditorOnly(caller) ? { ...withoutBody(mail), source: "" } : mail);
    });
    mount(app, routes.repeatMail, async ({ params }, { caller }) =>
      answer(200, await repeatMail(context, caller, params.id)),
    );
    if (context.configuration.mode !== "development") return;
    mount(app, routes.listDevelopmentMailbox, async ({ query }) =>
      answer(200, await listMailbox(context, query)),
    );
    mount(app, routes.showDevelopmentMail, async ({ params }) =>
      answer(200, await mailInFull(context, params.id)),
    );
    app.get<{ Params: { id: string } }>(mailHtmlPath(":id"), async (request, reply) => {
      assertFromThisMachine(request);
      return reply
        .headers({
          "cache-control": "no-store",
          "content-security-policy": MAIL_POLICY,
          "x-frame-options": "SAMEORIGIN",
        })
        .type("text/html; charset=utf-8")
        .send(await htmlOf(context, request.params.id));
    });
  };
}

export const mail: Capability = {
  routes: ({ context }) => mailRoutes(context),
  sweeps: [{ what: "mails", keepFor: () => 30 * DAY, run: sweepMails }],
  background: startSending,
};
