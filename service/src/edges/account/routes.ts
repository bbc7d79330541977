import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { DAY } from "../../base/duration.ts";
import { tellLanguage } from "../../base/http/language.ts";
import { ownPathOf } from "../../base/http/return-path.ts";
import { tokenDeliveryOf } from "../../base/http/token-delivery.ts";
import { register } from "../../flows/registration/register.ts";
import { deliverPending } from "../../flows/sign-in/deliver.ts";
import { accountInFull, changeAccount, listForOperators } from "../../people/account/account.ts";
import { eraseAccount, eraseClosed, eraseOwnAccount } from "../../people/account/erase.ts";
import { addAccount } from "../../people/account/operate.ts";
import { exportOwnData } from "../../people/account/own-data.ts";
import { changeOwnAccount } from "../../people/account/own.ts";
import { clearSessionCookies, deliverSession } from "../../people/session/deliver.ts";
import { sweepRegistrations } from "../../records/account/registration-store.ts";
import { showAccount } from "../../records/account/show.ts";
import { findAccounts } from "../../records/account/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import { browserMarkOf, readDeviceMark, setDeviceCookie } from "../../records/http/device-cookie.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf } from "../../records/http/visit.ts";
import type { Capability } from "../capability/capability.ts";
import { correctEmail, giveFirstPassword, removeSecondFactor } from "../operator/help.ts";

/** Registration, the signed-in account, and the operators' accounts. */
function accountRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(
      app,
      routes.register,
      async ({ body: { deliver: wanted, returnTo, ...registration } }, { request, reply }) => {
        const { deliver, isBrowser } = tokenDeliveryOf(request, wanted);
        const replaces = deliver === "token" ? null : await app.readCaller(request);
        const browser = isBrowser ? browserMarkOf(context, request) : null;
        const here = {
          visit: visitOf(request),
          replaces,
          mark: browser?.mark,
          broughtMark: readDeviceMark(context, request),
          returnTo: ownPathOf(context.configuration.publicUrl, returnTo),
        };
        const result = await register(context, registration, here);
        const body =
          result.outcome === "check-mail"
            ? result
            : result.outcome === "proof-wanted"
              ? deliverPending(context, reply, result, deliver)
              : {
                  ...deliverSession(context, reply, result.begun, deliver),
                  ...(result.recoveryCodes === null ? {} : { recoveryCodes: [...result.recoveryCodes] }),
                };
        if (browser?.isNew) setDeviceCookie(context, { request, reply }, browser.mark);
        return body.outcome === "signed-in" ? answer(201, body) : answer(202, body);
      },
    );

    mount(app, routes.showAccount, async (_received, { caller }) => answer(200, showAccount(caller.account)));

    mount(app, routes.listAccounts, async ({ query }) => answer(200, await listForOperators(context, query)));

    mount(app, routes.changeOwnAccount, async ({ body }, { caller, request, reply }) => {
      const account = await changeOwnAccount(context, caller, body, visitOf(request));
      if (request.headers.authorization === undefined)
        tellLanguage(reply, context.languageCookie, account.language);
      return answer(200, showAccount(account));
    });

    mount(app, routes.exportOwnData, async (_received, { caller, reply }) => {
      void reply.header("content-disposition", 'attachment; filename="my-data.json"');
      return answer(200, await exportOwnData(context, caller));
    });

    mount(app, routes.eraseOwnAccount, async (_received, { caller, request, reply }) => {
      await eraseOwnAccount(context, caller, visitOf(request));
      clearSessionCookies(context, reply);
      return answer(204, undefined);
    });

    mount(app, routes.lookUpAccounts, async ({ body: { ids = [], references = [] } }, { caller }) => {
      context.appUsage.note(caller.appId, "look-up");
      const rows = await findAccounts(context.dataSource, { ids, references });
      return answer(200, { items: rows.map(showAccount) });
    });

    mount(app, routes.addAccount, async ({ body }, { caller, request }) =>
      answer(201, await addAccount(context, { operator: caller }, body, visitOf(request))),
    );

    mount(app, routes.eraseAccount, async ({ params }, { caller, request }) => {
      await eraseAccount(context, caller, params.id, visitOf(request));
      return answer(204, undefined);
    });

    mount(app, routes.removeSecondFactor, async ({ params, body }, { caller, request }) => {
      const help = { ...params, ...body, visit: visitOf(request) };
      return answer(200, showAccount(await removeSecondFactor(context, caller, help)));
    });

    mount(app, routes.correctEmail, async ({ params, body }, { caller, request }) => {
      const help = { ...params, ...body, visit: visitOf(request) };
      return answer(200, showAccount(await correctEmail(context, caller, help)));
    });

    mount(app, routes.giveFirstPassword, async ({ params, body }, { caller, request }) => {
      const help = { ...params, ...body, visit: visitOf(request) };
      return answer(200, showAccount(await giveFirstPassword(context, caller, help)));
    });

    mount(app, routes.showAccountDetail, async ({ params }) =>
      answer(200, await accountInFull(context, params.id)),
    );

    mount(app, routes.changeAccount, async ({ params, body }, { caller, request }) =>
      answer(
        200,
        showAccount(await changeAccount(context, { operator: caller }, params.id, body, visitOf(request))),
      ),
    );
  };
}

export const accounts: Capability = {
  routes: ({ context }) => accountRoutes(context),
  sweeps: [
    { what: "registrations whose link has expired", keepFor: () => DAY, run: sweepRegistrations },
    {
      what: "closed accounts, `accounts.eraseAfter` after their owners asked",
      keepFor: () => 0,
      run: eraseClosed,
    },
  ],
};
