import { routes } from "@lucchetto/contract";
import type { FastifyInstance, FastifyPluginAsync, FastifyReply, FastifyRequest } from "fastify";
import { DAY } from "../../base/duration.ts";
import type { TokenDelivery } from "../../base/http/token-delivery.ts";
import { tokenDeliveryOf } from "../../base/http/token-delivery.ts";
import { ProblemReply } from "../../base/problem.ts";
import { checkBasicPassword } from "../../flows/sign-in/basic.ts";
import { signInByPasskey } from "../../flows/sign-in/by-passkey.ts";
import { signInTokenOf } from "../../flows/sign-in/caller.ts";
import type { Device, SignedInHere } from "../../flows/sign-in/complete.ts";
import { deliverPending } from "../../flows/sign-in/deliver.ts";
import { keepSignInCounts, showSignInFigures } from "../../flows/sign-in/figures.ts";
import { readPending, showPending } from "../../flows/sign-in/pending.ts";
import { signIn } from "../../flows/sign-in/sign-in.ts";
import { submitProof } from "../../flows/sign-in/submit-proof.ts";
import { deliverSession } from "../../people/session/deliver.ts";
import type { ServiceContext } from "../../records/context.ts";
import { readDeviceMark, setDeviceCookie } from "../../records/http/device-cookie.ts";
import { answer, mount } from "../../records/http/mount.ts";
import { visitOf, visitorOf } from "../../records/http/visit.ts";
import { sweepSignInCounts, sweepSignIns } from "../../records/sign-in/store.ts";
import type { Capability } from "../capability/capability.ts";

/** `POST /v1/sign-in`, and what moves a sign-in on. */
function signInRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.signIn, async ({ body }, { request, reply }) => {
      const tokenDelivery = tokenDeliveryOf(request, body.deliver);
      const { proof, remember = false } = body;
      const visit = visitOf(request);
      const begun = { remember, visit, device: await deviceOf(app, context, request, tokenDelivery) };
      const outcome =
        proof.type === "passkey"
          ? await signInByPasskey(context, { proof, ...begun })
          : await signIn(context, { proof, ...begun });
      if (outcome.outcome === "proof-wanted")
        return answer(202, deliverPending(context, reply, outcome, tokenDelivery.deliver));
      return answer(201, deliverSignedIn(context, { request, reply }, outcome, tokenDelivery.deliver));
    });

    mount(app, routes.addProof, async ({ body }, { request, reply }) => {
      const tokenDelivery = tokenDeliveryOf(
        request,
        request.headers.authorization === undefined ? "cookie" : "token",
      );
      const visit = visitOf(request);
      const pending = await readPending(context, signInTokenOf(context, request), visit);
      const here = { visit, device: await deviceOf(app, context, request, tokenDelivery) };
      const { proof } = body;
      const outcome = await submitProof(context, pending, { proof, ...here });
      const codes = outcome.recoveryCodes === undefined ? {} : { recoveryCodes: [...outcome.recoveryCodes] };
      if (outcome.outcome === "proof-wanted") {
        const { wanted, expiresAt } = outcome;
        const still = { wanted: [...wanted], expiresAt: expiresAt.toISOString() };
        return answer(202, { outcome: "proof-wanted" as const, ...still, ...codes });
      }
      const signedIn = deliverSignedIn(context, { request, reply }, outcome, tokenDelivery.deliver);
      const delivered = { ...signedIn, ...codes };
      if (tokenDelivery.deliver === "cookie") void reply.header("set-cookie", context.signInCookie.remove());
      const { returnTo } = outcome;
      return answer(201, returnTo === null ? delivered : { ...delivered, returnTo });
    });

    mount(app, routes.checkBasic, async ({ body }, { caller, request }) => {
      const { identifier, password, address, userAgent } = body;
      if (!caller.basicPasswords) throw new ProblemReply("own-password-not-taken");
      context.appUsage.note(caller.appId, "basic");
      const visit = { ...visitOf(request), ...visitorOf(address, userAgent) };
      return answer(200, {
        account: await checkBasicPassword(context, { identifier, password, visit }),
      });
    });

    mount(app, routes.showSignIn, async (_received, { request }) => {
      const token = signInTokenOf(context, request);
      const here = { visit: visitOf(request), mark: readDeviceMark(context, request) };
      const { wanted, expiresAt, registeredHere } = await showPending(context, token, here);
      return answer(200, { wanted: [...wanted], expiresAt: expiresAt.toISOString(), registeredHere });
    });

    mount(app, routes.showSignInFigures, async () => answer(200, await showSignInFigures(context)));
  };
}

async function deviceOf(
  app: FastifyInstance,
  context: ServiceContext,
  request: FastifyRequest,
  { deliver, isBrowser }: TokenDelivery,
): Promise<Device> {
  return {
    isBrowser,
    mark: readDeviceMark(context, request),
    replaces: deliver === "cookie" ? await app.readCaller(request) : null,
  };
}

function deliverSignedIn(
  context: ServiceContext,
  exchange: { request: FastifyRequest; reply: FastifyReply },
  signedIn: SignedInHere,
  deliver: TokenDelivery["deliver"],
) {
  const delivered = deliverSession(context, exchange.reply, signedIn, deliver);
  if (signedIn.mark !== null) setDeviceCookie(context, exchange, signedIn.mark);
  return delivered;
}

export const signIns: Capability = {
  routes: ({ context }) => signInRoutes(context),
  background: keepSignInCounts,
  sweeps: [
    { what: "sign-ins that were not finished", keepFor: () => DAY, run: sweepSignIns },
    { what: "counts of how people signed in", keepFor: () => 400 * DAY, run: sweepSignInCounts },
  ],
};
