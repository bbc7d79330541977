/** The pages: one shell for all, the static files it loads, and what a page must know before it is drawn. */
import type { PageState, ProblemCode } from "@lucchetto/contract";
import {
  CONTINUE_PATH,
  MAILBOX_PAGE,
  PLAIN_PAGES,
  PROBLEMS,
  SIGN_OUT_PAGE,
  VISITED_PAGES,
} from "@lucchetto/contract";
import { isLoopbackHost } from "@lucchetto/core";
import type { FastifyPluginAsync, FastifyRequest } from "fastify";
import { basePathOf, queryOf } from "../../base/http/address.ts";
import { CONSOLE_DIRECTORY } from "../../base/locations.ts";
import { isStorageUnavailable } from "../../base/storage/index.ts";
import { appBehind, enter } from "../../records/app/behind.ts";
import { findByClientId, listHomes, listHomesOf } from "../../records/app/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import type { PageShell } from "../capability/shell.ts";
import { assetRoutes } from "./assets.ts";

const METHODS: Array<"GET" | "HEAD"> = ["GET", "HEAD"];

/** The operators' console, all of whose pages are one to the service. */
const CONSOLE_PAGES = ["/console", "/console/*"];

/** Everything a browser opens. */
export function pageRoutes(context: ServiceContext, shell: PageShell): FastifyPluginAsync {
  const { configuration } = context;
  return async (app) => {
    // In development the pages are built again while the service runs.
    const rebuilds = configuration.mode === "development";
    await app.register(assetRoutes(`${CONSOLE_DIRECTORY}assets`, { rebuilds }));

    if (configuration.mode === "development") {
      app.addHook("onRequest", async (request, reply) => {
        const right = otherLoopbackName(request, configuration.publicUrl);
        if (right !== null) return reply.redirect(right, 307);
      });
    }

    app.route({
      method: METHODS,
      url: "/",
      handler: async (_request, reply) =>
        reply.redirect(`${basePathOf(configuration.publicUrl)}/account`, 303),
    });

    const mailbox = configuration.mode === "development" ? [MAILBOX_PAGE] : [];
    for (const url of [...CONSOLE_PAGES, ...mailbox]) {
      app.route({ method: METHODS, url, handler: async (_request, reply) => shell.send(reply) });
    }

    for (const url of PLAIN_PAGES) {
      app.route({
        method: METHODS,
        url,
        handler: async (request, reply) => shell.send(reply, { apps: await homesFor(context, request) }),
      });
    }

    for (const url of VISITED_PAGES) {
      app.route({
        method: METHODS,
        url,
        handler: async (request, reply) => {
          const visitedApp = await appBehind(context, queryOf(request).get("next"));
          if (visitedApp !== null) return shell.send(reply, { visitedApp });
          return shell.send(reply, { apps: await homesFor(context, request) });
        },
      });
    }

    app.route({
      method: METHODS,
      url: CONTINUE_PATH,
      handler: async (request, reply) => {
        const query = queryOf(request);
        const app = await findByClientId(context.dataSource, query.get("client_id") ?? "");
        const isHome = query.get("to") === "home";
        const address = app && (isHome ? app.home : enter(context, app, query.get("target_link_uri")));
        return reply.redirect(address ?? `${basePathOf(configuration.publicUrl)}/account`, 303);
      },
    });

    app.route({
      method: METHODS,
      url: SIGN_OUT_PAGE,
      handler: async (request, reply) => {
        const signOut = await describeSignOut(context, request);
        const apps = await homesFor(context, request);
        return shell.send(reply, { apps, ...(signOut === null ? {} : { signOut }) });
      },
    });

    app.route<{ Params: { code: string } }>({
      method: METHODS,
      url: "/problems/:code",
      handler: async (request, reply) => {
        const { code } = request.params;
        if (!Object.hasOwn(PROBLEMS, code)) return shell.sendProblem(request, reply, "not-found");
        const { title, meaning, remedy } = PROBLEMS[code as ProblemCode];
        return shell.send(reply, { problem: { code, title, meaning, remedy } });
      },
    });

    app.route({
      method: METHODS,
      url: "/.well-known/change-password",
      handler: async (_request, reply) =>
        reply.redirect(`${basePathOf(configuration.publicUrl)}/account/password`, 303),
    });
  };
}

/**
 * Where a page leads: for somebody signed in the applications where they have been, else every one. Without the database
 * a page is drawn without its way back, and says itself what is wrong.
 */
async function homesFor({ dataSource }: ServiceContext, request: FastifyRequest): Promise<PageState["apps"]> {
  try {
    const caller = await request.server.readCaller(request);
    const own = caller === null ? [] : await listHomesOf(dataSource, caller.account.id);
    return own.length > 0 ? own : await listHomes(dataSource);
  } catch (error) {
    if (isStorageUnavailable(error)) return [];
    throw error;
  }
}

/**
 * What the sign-out page does. An application sends people with its client id, a registered address to come back to,
 * and the session's id, which only an application of this very session knows: then the page signs out by itself.
 * Without it a person is asked first, so that no foreign page can sign anybody out by a link.
 */
async function describeSignOut(
  { dataSource }: ServiceContext,
  request: FastifyRequest,
): Promise<PageState["signOut"] | null> {
  const query = queryOf(request);
  const clientId = query.get("client_id");
  const app = clientId === null ? null : await findByClientId(dataSource, clientId);
  if (app === null) return null;
  const returnTo = query.get("return_to");
  const currentSessionId = (await request.server.readCaller(request))?.session.id;
  const isRegistered = returnTo !== null && app.signedOutUris.includes(returnTo);
  return {
    appName: app.name,
    returnTo: isRegistered ? withState(returnTo, query.get("state")) : null,
    automatic: currentSessionId === undefined || query.get("sid") === currentSessionId,
  };
}

/** What the application gave along comes back to it (OpenID Connect RP-Initiated Logout 1.0, section 2). */
function withState(address: string, state: string | null): string {
  if (state === null) return address;
  const back = new URL(address);
  back.searchParams.set("state", state);
  return back.href;
}

/** In development: the same page under the public address, if it was opened under another name of this machine. */
function otherLoopbackName(request: FastifyRequest, publicUrl: string): string | null {
  const host = request.headers.host;
  if (host === undefined || !URL.canParse(`http://${host}`)) return null;
  const opened = new URL(`http://${host}`);
  const right = new URL(publicUrl);
  if (opened.host === right.host || !isLoopbackHost(opened.hostname) || !isLoopbackHost(right.hostname))
    return null;
  return opened.port === right.port ? right.origin + request.url : null;
}
