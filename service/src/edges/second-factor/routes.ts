import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { DAY } from "../../base/duration.ts";
import { beginEnrolmentInSignIn } from "../../flows/sign-in/enrol.ts";
import { keptAsThing } from "../../people/recovery/kept.ts";
import { importAuthenticators } from "../../people/second-factor/import.ts";
import { startResealing } from "../../people/second-factor/reseal.ts";
import {
  confirm,
  countOwnCodes,
  enrol,
  listOwnAuthenticators,
  removeOwn,
  renameOwn,
  renewCodes,
} from "../../people/second-factor/second-factor.ts";
import { deliverToken } from "../../people/session/deliver.ts";
import type { ServiceContext } from "../../records/context.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf } from "../../records/http/visit.ts";
import { sweepEnrolments, sweepRemoved } from "../../records/second-factor/store.ts";
import type { Capability } from "../capability/capability.ts";

/** `/v1/account/totp` and `/v1/account/recovery-codes`. */
function secondFactorRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.listAuthenticators, async (_received, { caller }) =>
      answer(200, { items: await listOwnAuthenticators(context, caller) }),
    );

    mount(app, routes.enrolAuthenticator, async ({ body }, { caller }) =>
      answer(
        201,
        "session" in caller
          ? await enrol(context, caller, body)
          : await beginEnrolmentInSignIn(context, caller, body),
      ),
    );

    mount(app, routes.activateAuthenticator, async ({ params, body }, { caller, request, reply }) => {
      const visit = visitOf(request);
      const { recoveryCodes, ...begun } = await confirm(context, caller, { ...params, ...body, visit });
      // The new token takes the way that the old one came.
      const deliver = request.headers.authorization === undefined ? "cookie" : "token";
      const handedOver = deliverToken(context, reply, begun, deliver);
      return answer(
        200,
        recoveryCodes === null ? handedOver : { ...handedOver, recoveryCodes: [...recoveryCodes] },
      );
    });

    mount(app, routes.renameAuthenticator, async ({ params, body }, { caller }) =>
      answer(200, await renameOwn(context, caller, { ...params, ...body })),
    );

    mount(app, routes.removeAuthenticator, async ({ params }, { caller, request }) => {
      await removeOwn(context, caller, params.id, visitOf(request));
      return answer(204, undefined);
    });

    mount(app, routes.importAuthenticators, async ({ body }, { caller, request }) =>
      answer(200, { items: await importAuthenticators(context, caller, body, visitOf(request)) }),
    );

    mount(app, routes.countRecoveryCodes, async (_received, { caller }) =>
      answer(200, { left: await countOwnCodes(context, caller) }),
    );

    mount(app, routes.makeRecoveryCodes, async (_received, { caller, request }) =>
      answer(201, { codes: [...(await renewCodes(context, caller, visitOf(request)))] }),
    );
  };
}

export const secondFactors: Capability = {
  routes: ({ context }) => secondFactorRoutes(context),
  background: startResealing,
  sweeps: [
    { what: "enrolments that were not finished", keepFor: () => DAY, run: sweepEnrolments },
    {
      what: "authenticators and recovery codes that were removed or replaced",
      keepFor: ({ links }) => keptAsThing(links),
      run: sweepRemoved,
    },
  ],
};
