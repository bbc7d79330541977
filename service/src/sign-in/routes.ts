import type { ProofWanted } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import type { FastifyInstance, FastifyPluginAsync, FastifyReply, FastifyRequest } from "fastify";
import type { ServiceContext } from "../context.ts";
import { LONGEST_MAX_AGE } from "../http/host-cookie.ts";
import { answer, mount } from "../http/mount.ts";
import { visitOf } from "../http/visit.ts";
import { deliverSession } from "../session/deliver.ts";
import { showMailProof } from "./by-mail.ts";
import type { Device, SignedInHere } from "./complete.ts";
import type { PendingSignIn } from "./pending.ts";
import { readPending, showNewPassword, showPending } from "./pending.ts";
import { signIn } from "./sign-in.ts";

type Deliver = "cookie" | "token" | undefined;

/** `POST /v1/sign-in`, and what moves a sign-in on. */
export function signInRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.signIn, async ({ body }, { request, reply }) => {
      const outcome = await signIn(context, {
        proof: body.proof,
        remember: body.remember ?? false,
        visit: visitOf(request),
        device: await deviceOf(app, context, request, body.deliver),
      });
      if (outcome.outcome === "proof-wanted")
        return answer(202, deliverPending(context, reply, outcome, body.deliver));
      return answer(201, deliverSignedIn(context, reply, outcome, body.deliver));
    });

    mount(app, routes.addProof, async ({ body }, { request, reply }) => {
      const bearer = bearerOf(request);
      const deliver = request.headers.authorization === undefined ? "cookie" : "token";
      const pending = await readPending(context, bearer ?? context.signInCookie.read(request.headers.cookie));
      const here = { visit: visitOf(request), device: await deviceOf(app, context, request, deliver) };
      const { proof } = body;
      const outcome =
        proof.type === "new-password"
          ? await showNewPassword(context, pending, { password: proof.password, ...here })
          : await showMailProof(context, pending, { proof, ...here });
      if (outcome.outcome === "proof-wanted") {
        const { wanted, expiresAt } = outcome;
        const still = { wanted: [...wanted], expiresAt: expiresAt.toISOString() };
        return answer(202, { outcome: "proof-wanted" as const, ...still });
      }
      const delivered = deliverSignedIn(context, reply, outcome, deliver);
      if (deliver === "cookie") void reply.header("set-cookie", context.signInCookie.remove());
      const { returnTo } = outcome;
      return answer(201, returnTo === null ? delivered : { ...delivered, returnTo });
    });

    mount(app, routes.showSignIn, async (_received, { request }) => {
      const bearer = bearerOf(request);
      const token = bearer ?? context.signInCookie.read(request.headers.cookie);
      const { wanted, expiresAt } = await showPending(context, token);
      return answer(200, { wanted: [...wanted], expiresAt: expiresAt.toISOString() });
    });
  };
}

/** The token of a program's sign-in in progress. */
function bearerOf(request: FastifyRequest): string | undefined {
  return /^Bearer +([A-Za-z0-9_-]+)$/i.exec(request.headers.authorization ?? "")?.[1];
}

async function deviceOf(
  app: FastifyInstance,
  context: ServiceContext,
  request: FastifyRequest,
  deliver: Deliver,
): Promise<Device> {
  const isBrowser = deliver !== "token";
  return {
    isBrowser,
    mark: context.deviceCookie.read(request.headers.cookie),
    replaces: isBrowser ? await app.readCaller(request) : null,
  };
}

function deliverSignedIn(
  context: ServiceContext,
  reply: FastifyReply,
  signedIn: SignedInHere,
  deliver: Deliver,
) {
  const delivered = deliverSession(context, reply, signedIn, deliver);
  if (signedIn.mark !== null)
    void reply.header("set-cookie", context.deviceCookie.write(signedIn.mark, LONGEST_MAX_AGE));
  return delivered;
}

function deliverPending(
  { signInCookie }: ServiceContext,
  reply: FastifyReply,
  { wanted, expiresAt, token }: PendingSignIn,
  deliver: Deliver,
): ProofWanted {
  if (deliver !== "token") void reply.header("set-cookie", signInCookie.write(token));
  return {
    outcome: "proof-wanted",
    wanted: [...wanted],
    expiresAt: expiresAt.toISOString(),
    ...(deliver === "token" ? { token } : {}),
  };
}
