import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { keepRecords } from "../../people/password/background.ts";
import { changePassword } from "../../people/password/change.ts";
import { removePassword } from "../../people/password/remove.ts";
import { createTuning } from "../../people/password/tuning.ts";
import { keptAsThing } from "../../people/recovery/kept.ts";
import { deliverToken } from "../../people/session/deliver.ts";
import { showSession } from "../../people/session/session.ts";
import { showAccount } from "../../records/account/show.ts";
import type { ServiceContext } from "../../records/context.ts";
import { readDeviceMark } from "../../records/http/device-cookie.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf } from "../../records/http/visit.ts";
import { sweepImported } from "../../records/password/imported-store.ts";
import { showFleet } from "../../records/password/scheme-statistics.ts";
import { sweepFormerPasswords } from "../../records/password/store.ts";
import type { Capability } from "../capability/capability.ts";

/** Changing the password; the fleet of records. */
function passwordRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.changePassword, async ({ body }, { caller, request, reply }) => {
      const changed = await changePassword(context, caller, {
        password: body.password,
        present: body.present,
        keepAccessKeys: body.keepAccessKeys ?? [],
        visit: visitOf(request),
        mark: readDeviceMark(context, request),
      });
      // The new token takes the way that the old one came.
      const deliver = request.headers.authorization === undefined ? "cookie" : "token";
      return answer(200, {
        session: showSession(changed.session, { now: context.clock.now(), current: true }),
        account: showAccount(changed.account),
        endedSessions: changed.endedSessions,
        endedAccessKeys: changed.endedAccessKeys,
        ...deliverToken(context, reply, changed, deliver),
      });
    });

    mount(app, routes.removePassword, async (_received, { caller, request }) => {
      await removePassword(context, caller, visitOf(request));
      return answer(204, undefined);
    });

    const tuning = createTuning(context, app.log);
    app.addHook("onClose", async () => tuning.close());
    mount(app, routes.showHashTuning, async () => answer(200, tuning.show()));
    mount(app, routes.beginHashTuning, async ({ body }) => answer(202, tuning.begin(body)));

    mount(app, routes.showHashFleet, async () => answer(200, await showFleet(context)));
  };
}

export const passwords: Capability = {
  routes: ({ context }) => passwordRoutes(context),
  background: keepRecords,
  sweeps: [
    {
      what: "what came along with passwords that were replaced",
      keepFor: ({ links }) => keptAsThing(links),
      run: sweepImported,
    },
    {
      what: "passwords that were replaced",
      keepFor: ({ links }) => keptAsThing(links),
      run: sweepFormerPasswords,
    },
  ],
  gauges: [
    {
      name: "lucchetto_password_hashes",
      help: "Password hashes by state: running now, waiting in the queue",
      label: "state",
      read: ({ hashing }) => ({ ...hashing.load() }),
    },
  ],
};
