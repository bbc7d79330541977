import { routes } from "@lucchetto/contract";
import type { FastifyInstance, FastifyPluginAsync, FastifyReply, FastifyRequest } from "fastify";
import { DAY } from "../../base/duration.ts";
import type { Asking } from "../../people/passkey/challenge.ts";
import { beginChallenge } from "../../people/passkey/challenge.ts";
import {
  addOwnPasskey,
  listOwnPasskeys,
  removeOwnPasskey,
  renameOwnPasskey,
} from "../../people/passkey/passkey.ts";
import { deliverToken } from "../../people/session/deliver.ts";
import type { ServiceContext } from "../../records/context.ts";
import { browserMarkOf, readDeviceMark, setDeviceCookie } from "../../records/http/device-cookie.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf } from "../../records/http/visit.ts";
import { sweepChallenges } from "../../records/passkey/store.ts";
import type { Capability } from "../capability/capability.ts";

/** `/.well-known/webauthn`: which other origins use the passkeys of this relying party (Web Authentication Level 3, section 5.11). */
const RELATED_ORIGINS_PATH = "/.well-known/webauthn";

/** `/v1/passkey-challenges` and `/v1/account/passkeys`. */
function passkeyRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.beginPasskey, async ({ body }, { request, reply }) =>
      answer(201, await beginChallenge(context, body, await askingOf(app, context, { request, reply }))),
    );

    mount(app, routes.listPasskeys, async (_received, { caller }) =>
      answer(200, await listOwnPasskeys(context, caller)),
    );

    mount(app, routes.addPasskey, async ({ body }, { caller, request, reply }) => {
      const { challengeId, credential, name } = body;
      const here = { visit: visitOf(request), mark: readDeviceMark(context, request) };
      const { passkey, recoveryCodes, ...begun } = await addOwnPasskey(context, caller, {
        challengeId,
        credential,
        name,
        ...here,
      });
      // The new token takes the way that the old one came.
      const deliver = request.headers.authorization === undefined ? "cookie" : "token";
      const codes = recoveryCodes === null ? {} : { recoveryCodes: [...recoveryCodes] };
      return answer(201, { passkey, ...codes, ...deliverToken(context, reply, begun, deliver) });
    });

    mount(app, routes.renamePasskey, async ({ params, body }, { caller }) =>
      answer(200, await renameOwnPasskey(context, caller, { ...params, ...body })),
    );

    mount(app, routes.removePasskey, async ({ params }, { caller, request }) => {
      await removeOwnPasskey(context, caller, params.id, visitOf(request));
      return answer(204, undefined);
    });
  };
}

async function askingOf(
  app: FastifyInstance,
  context: ServiceContext,
  { request, reply }: { request: FastifyRequest; reply: FastifyReply },
): Promise<Asking> {
  return {
    visit: visitOf(request),
    mark: isBrowser(request) ? keptMark(context, { request, reply }) : readDeviceMark(context, request),
    caller: await app.readCaller(request),
    pending: await app.readSignIn(request),
  };
}

/** Browsers say where an unsafe request comes from. An app with forms of its own sends its visitor's mark along, if it keeps one. */
function isBrowser({ behalf, headers }: FastifyRequest): boolean {
  if (behalf !== null) return false;
  return headers.authorization === undefined && (headers.origin ?? headers["sec-fetch-site"]) !== undefined;
}

/** The mark by which the answer is known to come from the same browser. */
function keptMark(
  context: ServiceContext,
  { request, reply }: { request: FastifyRequest; reply: FastifyReply },
): string {
  const { mark, isNew } = browserMarkOf(context, request);
  if (isNew) setDeviceCookie(context, { request, reply }, mark);
  return mark;
}

/** At the root of the host, where browsers look. */
export function relatedOriginsRoute({
  relatedOrigins,
  origins,
}: ServiceContext["configuration"]["passkeys"]): FastifyPluginAsync {
  return async (app) => {
    if (relatedOrigins.length === 0) return;
    app.get(RELATED_ORIGINS_PATH, async (_request, reply) =>
      reply
        .header("access-control-allow-origin", "*")
        .type("application/json; charset=utf-8")
        .send(JSON.stringify({ origins })),
    );
  };
}

export const passkeys: Capability = {
  routes: ({ context }) => passkeyRoutes(context),
  sweeps: [{ what: "challenges for passkeys", keepFor: () => DAY, run: sweepChallenges }],
};
