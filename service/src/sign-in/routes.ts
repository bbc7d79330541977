import { routes } from "@lucchetto/contract";
import type { FastifyPluginAsync } from "fastify";
import type { ServiceContext } from "../context.ts";
import { answer, mount } from "../http/mount.ts";
import { visitOf } from "../http/visit.ts";
import { deliverSession } from "../session/deliver.ts";
import { signIn } from "./sign-in.ts";

/** `POST /v1/sign-in`. */
export function signInRoutes(context: ServiceContext): FastifyPluginAsync {
  return async (app) => {
    mount(app, routes.signIn, async ({ body }, { request, reply }) => {
      const begun = await signIn(context, {
        proof: body.proof,
        remember: body.remember ?? false,
        visit: visitOf(request),
        device: {
          isBrowser: body.deliver !== "token",
          mark: context.deviceCookie.read(request.headers.cookie),
        },
        replaces: body.deliver === "token" ? null : await app.readCaller(request),
      });
      const delivered = deliverSession(context, reply, begun, body.deliver);
      if (begun.mark !== null) void reply.header("set-cookie", context.deviceCookie.write(begun.mark));
      return answer(201, delivered);
    });
  };
}
