/** `/v1/operator/rehearsals`. Registered in development mode only; production has no such routes. */
import { fieldError, routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import { fieldProblem } from "../../base/problem.ts";
import { findByClientId } from "../../records/app/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import { answer, mount } from "../../records/http/mount.ts";
import type { Capability } from "../capability/capability.ts";
import { Rehearsals } from "./rehearsal.ts";
import { expireRehearsalAccounts } from "./tidy.ts";

function rehearsalRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    const rehearsals = new Rehearsals(context);
    app.addHook("onClose", () => rehearsals.close());

    mount(app, routes.listRehearsals, async () => answer(200, { items: rehearsals.list() }));

    mount(app, routes.beginRehearsal, async ({ body }) => {
      // No address but one that is registered: nobody sends the service's browser elsewhere.
      const registered = await findByClientId(context.dataSource, body.clientId);
      const [returnAddress] = registered?.redirectUris ?? [];
      if (registered === null || returnAddress === undefined)
        throw fieldProblem([fieldError("clientId", "unacceptable", { reason: "No application has it." })]);
      return answer(
        201,
        rehearsals.begin({ name: registered.name, address: new URL("/", returnAddress).href }, body),
      );
    });

    mount(app, routes.endRehearsal, async ({ params }) => {
      rehearsals.end(params.id);
      return answer(204, undefined);
    });
  };
}

export const rehearsals: Capability = {
  routes: ({ context }) =>
    context.configuration.mode === "development" ? rehearsalRoutes(context) : async () => undefined,
  sweeps: [
    { what: "closed accounts of rehearsals, in development", keepFor: () => 0, run: expireRehearsalAccounts },
  ],
};
