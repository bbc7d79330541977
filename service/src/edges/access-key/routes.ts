import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { deleteOwnAccessKey, listOwnAccessKeys, makeAccessKey } from "../../people/access-key/access-key.ts";
import type { ServiceContext } from "../../records/context.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf } from "../../records/http/visit.ts";
import type { Capability } from "../capability/capability.ts";

/** `/v1/account/access-keys`. */
function accessKeyRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.listAccessKeys, async (_received, { caller }) =>
      answer(200, { items: await listOwnAccessKeys(context, caller) }),
    );

    mount(app, routes.makeAccessKey, async ({ body }, { caller, request }) =>
      answer(201, await makeAccessKey(context, caller, body, visitOf(request))),
    );

    mount(app, routes.deleteAccessKey, async ({ params }, { caller, request }) => {
      await deleteOwnAccessKey(context, caller, params.id, visitOf(request));
      return answer(204, undefined);
    });
  };
}

export const accessKeys: Capability = {
  routes: ({ context }) => accessKeyRoutes(context),
};
