/** The standards' endpoints. They take form fields, and answer in the standards' own words. */
import { OAUTH_PATHS } from "@lucchetto/contract";
import { hashToken } from "@lucchetto/core";
import type { FastifyPluginAsync, FastifyRequest } from "fastify";
import { DAY } from "../../base/duration.ts";
import { queryOf } from "../../base/http/address.ts";
import { acceptForms } from "../../base/http/body.ts";
import { ProblemReply } from "../../base/problem.ts";
import { authorize } from "../../flows/oauth/authorize.ts";
import { authenticateApp } from "../../flows/oauth/client-authentication.ts";
import { endSession } from "../../flows/oauth/end-session.ts";
import { parameter, requiredParameter } from "../../flows/oauth/form.ts";
import { introspect, introspectKey, lookUpCheckToken, revoke } from "../../flows/oauth/introspect.ts";
import { describeServer } from "../../flows/oauth/metadata.ts";
import { OAuthRefusal, sendRefusal } from "../../flows/oauth/refusal.ts";
import { exchangeCode } from "../../flows/oauth/token.ts";
import type { ServiceContext } from "../../records/context.ts";
import { problemOf, sendProblem } from "../../records/http/problem.ts";
import { visitOf } from "../../records/http/visit.ts";
import { sweepCodes } from "../../records/oauth/store.ts";
import type { Capability } from "../capability/capability.ts";
import type { PageShell } from "../capability/shell.ts";
import { checkRoutes } from "./check-routes.ts";

const NOT_KEPT = { "cache-control": "no-store", pragma: "no-cache" };

/** `/oauth/…`. */
function oauthRoutes(context: ServiceContext, shell: PageShell): FastifyPluginAsync {
  const { publicUrl } = context.configuration;
  return async (app) => {
    acceptForms(app);
    app.setErrorHandler((error, request, reply) => {
      if (error instanceof OAuthRefusal) return sendRefusal(reply, error, publicUrl);
      const problem = problemOf(error);
      if (problem.code === "internal-error") request.log.error({ err: error }, "internal error");
      return sendProblem(request, reply, publicUrl, problem);
    });

    app.get(OAUTH_PATHS.authorize, async (request, reply) => {
      const query = queryOf(request);
      try {
        const answer = await authorize(context, query, await app.readCaller(request));
        void reply.headers(NOT_KEPT);
        if (answer.kind === "redirect") return reply.redirect(answer.location, 303);
        const page = answer.kind === "reauthenticate" ? "/account/reauthenticate" : `/${answer.kind}`;
        return reply.redirect(shell.pathOf(page, { next: request.url }), 303);
      } catch (error) {
        if (!(error instanceof ProblemReply)) throw error;
        return shell.sendProblem(request, reply, error.code, error.parts);
      }
    });

    // The standard wants both; what a form brings goes to the page that a browser opens, which alone has the cookie.
    app.route({
      method: ["GET", "POST"],
      url: OAUTH_PATHS.endSession,
      handler: async (request, reply) => {
        try {
          const asked = request.method === "POST" ? formOf(request) : queryOf(request);
          const page = shell.pathOf("/sign-out", await endSession(context, asked));
          return reply.headers(NOT_KEPT).redirect(page, 303);
        } catch (error) {
          if (!(error instanceof ProblemReply)) throw error;
          return shell.sendProblem(request, reply, error.code, error.parts);
        }
      },
    });

    app.post(OAUTH_PATHS.token, async (request, reply) => {
      const form = formOf(request);
      const { appId } = await authenticateApp(context, request, form);
      void reply.headers(NOT_KEPT);
      context.appUsage.note(appId, "swap");
      return exchangeCode(context, form, { appId, visit: visitOf(request) });
    });

    app.post(OAUTH_PATHS.introspect, async (request, reply) => {
      const form = formOf(request);
      const token = parameter(form, "token");
      void reply.headers(NOT_KEPT);
      // Both look-ups at once; what the second found is used only if the first knows the app.
      const [asking, found] = await Promise.all([
        authenticateApp(context, request, form),
        token === undefined ? null : lookUpCheckToken(context, token),
      ]);
      const shown = requiredParameter(form, "token");
      if (hashToken("access-key", shown) === null) return introspect(context, found, asking);
      // Beside the standard's parameters: the name that came with the key, where it came as HTTP Basic.
      const username = parameter(form, "username");
      return introspectKey(context, { text: shown, username, visit: visitOf(request) }, asking);
    });

    app.post(OAUTH_PATHS.revoke, async (request, reply) => {
      const form = formOf(request);
      const { appId } = await authenticateApp(context, request, form);
      context.appUsage.note(appId, "revoke");
      await revoke(context, requiredParameter(form, "token"), { appId, visit: visitOf(request) });
      return reply.headers(NOT_KEPT).status(200).send();
    });
  };
}

/** The metadata document, public: any origin may read it. */
export function metadataRoute(publicUrl: string, path: string): FastifyPluginAsync {
  const document = describeServer(publicUrl);
  return async (app) => {
    app.get(path, async (_request, reply) => {
      void reply.headers({ "access-control-allow-origin": "*", "cache-control": "public, max-age=300" });
      return document;
    });
  };
}

function formOf(request: FastifyRequest): URLSearchParams {
  return request.body instanceof URLSearchParams ? request.body : new URLSearchParams();
}

export const oauth: Capability = {
  routes:
    ({ context, shell }) =>
    async (app) => {
      await app.register(oauthRoutes(context, shell));
      await app.register(checkRoutes(context));
    },
  // Kept for the sake of reuse being noticed.
  sweeps: [{ what: "authorization codes", keepFor: () => DAY, run: sweepCodes }],
};
