import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { invite } from "../../flows/mail-link/invitation.ts";
import { changeAccount } from "../../people/account/account.ts";
import { addAccount } from "../../people/account/operate.ts";
import { showAccount } from "../../records/account/show.ts";
import type { ServiceContext } from "../../records/context.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf } from "../../records/http/visit.ts";
import type { Capability } from "../capability/capability.ts";
import { beginWork, findForApps } from "./app-account.ts";

/** `/v1/app`: what an application's server does with accounts. */
function appAccountRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.findAccountsByApp, async ({ query }, { caller }) => {
      await beginWork(context, caller);
      return answer(200, await findForApps(context, query));
    });

    mount(app, routes.addAccountByApp, async ({ body }, { caller, request }) => {
      const actor = await beginWork(context, caller);
      return answer(201, await addAccount(context, actor, body, visitOf(request)));
    });

    mount(app, routes.inviteAccountByApp, async ({ body }, { caller, request }) => {
      const actor = await beginWork(context, caller);
      const { isNew, account } = await invite(context, actor, body, visitOf(request));
      return isNew ? answer(201, account) : answer(200, account);
    });

    mount(app, routes.changeAccountByApp, async ({ params, body }, { caller, request }) => {
      const actor = await beginWork(context, caller);
      return answer(200, showAccount(await changeAccount(context, actor, params.id, body, visitOf(request))));
    });
  };
}

export const appAccounts: Capability = {
  routes: ({ context }) => appAccountRoutes(context),
};
