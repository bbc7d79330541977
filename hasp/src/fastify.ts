/**
 * The hasp for Fastify.
 *
 *     await app.register(fastifyHasp, { service, clientId, appKey, returnAddress });
 *     app.get("/", { preHandler: app.hasp.open() }, async (request) => `Hello ${request.account?.displayName ?? "guest"}`);
 *     app.get("/members", { preHandler: app.hasp.closed() }, async (request) => …);
 *     app.get("/keepers", { preHandler: app.hasp.closed({ label: "keeper" }) }, async (request) => …);
 *
 * It answers at the return address, at `/sign-in`, `/register` and `/sign-out` (POST), and at `/hasp-live.js` and
 * `/hasp-live` for pages that stay true to who is signed in.
 */
import type { IncomingHttpHeaders } from "node:http";
import type { MappedRoute } from "@lucchetto/contract/apps";
import type {
  FastifyInstance,
  FastifyPluginAsync,
  FastifyReply,
  FastifyRequest,
  preHandlerAsyncHookHandler,
  RouteOptions,
} from "fastify";
import fastifyPlugin from "fastify-plugin";
import type { AccessRequirements, OpenOptions } from "./access-requirements.ts";
import { assertWanted } from "./access-requirements.ts";
import type { SignedInAccount } from "./account.ts";
import { warnOfCacheable } from "./cacheable.ts";
import type { VisitorAtForm } from "./form-visitors.ts";
import type { Hasp } from "./hasp.ts";
import { createHasp } from "./hasp.ts";
import type { Answer, IncomingRequest } from "./incoming-request.ts";
import type { HaspOptions } from "./options.ts";
import type { Declared, RouteMap } from "./route-map.ts";
import { methodNames } from "./route-map.ts";

declare module "fastify" {
  interface FastifyRequest {
    /** Who is there. Set on routes that have `hasp.open()` or `hasp.closed()`; `null` for a guest. */
    account: SignedInAccount | null;
    /** Whether the reply is for the one who is signed in. */
    isClosed: boolean;
  }
  interface FastifyInstance {
    hasp: {
      /** Anybody may come in; whoever is signed in is known. */
      open(options?: OpenOptions): preHandlerAsyncHookHandler;
      /** Only who is signed in, and carries the wanted label, comes in. */
      closed(wanted?: AccessRequirements): preHandlerAsyncHookHandler;
      /** Accounts by id or reference, to show names beside the application's own rows. */
      lookUp: Hasp["lookUp"];
      /** What the application's server does with accounts; for an app with the right `accounts`. */
      accounts: Hasp["accounts"];
      /** The routes that were added after this plugin: open, closed (and what is wanted), or undeclared. In development at /hasp-map, too. */
      map(): MappedRoute[];
      forms: {
        /** The visitor at a form of the application's own, with the option `forms`; cookies go into the reply by themselves. */
        before(request: FastifyRequest, reply: FastifyReply): VisitorAtForm;
      };
    };
  }
}

const plugin: FastifyPluginAsync<HaspOptions> = async (app, options) => {
  const hasp = createHasp({ warn: (text) => app.log.warn(text), ...options });
  app.decorateRequest("account", null);
  app.decorateRequest("isClosed", false);
  findRoutes(app, hasp.routes);

  app.addHook("onRequest", async (request, reply) => {
    const visit = new FastifyVisit(request);
    if (hasp.isOwn(visit)) {
      const isStream = await hasp.live(visit, () => {
        reply.hijack();
        return reply.raw;
      });
      if (isStream) return;
      const answer = await hasp.own(visit);
      if (answer !== null) return send(reply, answer);
    }
    for (const wanted of hasp.guarded(visit)) {
      const refused = await pass(request, reply, wanted);
      if (refused !== undefined) return refused;
    }
  });

  if (options.development ?? process.env["NODE_ENV"] !== "production") {
    const warn = warnOfCacheable(options.warn ?? ((text) => app.log.warn(text)));
    app.addHook("onSend", async (request, reply) => {
      // What is refused carries nothing personal.
      if (request.isClosed && reply.statusCode < 400)
        warn(
          `${request.method} ${request.routeOptions.url ?? request.url}`,
          reply.getHeader("cache-control"),
        );
    });
  }

  async function pass(request: FastifyRequest, reply: FastifyReply, wanted?: AccessRequirements) {
    const passage = await hasp.closed(new FastifyVisit(request), wanted);
    if ("answer" in passage) return send(reply, passage.answer);
    request.account = passage.account;
    request.isClosed = true;
    // What only one person may see is not kept by the browser or by anything on the way.
    void reply.header("cache-control", "no-store");
  }

  app.decorate("hasp", {
    lookUp: hasp.lookUp,
    accounts: hasp.accounts,
    forms: {
      before: (request: FastifyRequest, reply: FastifyReply) =>
        hasp.forms.before(new FastifyVisit(request), (line) => void reply.header("set-cookie", line)),
    },
    map: () => hasp.routes.list(),
    open: ({ asks = true }: OpenOptions = {}) =>
      hasp.routes.declare(
        async (request: FastifyRequest, reply: FastifyReply) => {
          if (!asks) return;
          const visit = new FastifyVisit(request);
          request.account = await hasp.open(visit);
          const answer = request.account === null ? hasp.askSilently(visit) : null;
          if (answer !== null) return send(reply, answer);
        },
        { wanted: null },
      ),
    closed: (wanted: AccessRequirements = {}) => {
      assertWanted(wanted);
      return hasp.routes.declare(
        (request: FastifyRequest, reply: FastifyReply) => pass(request, reply, wanted),
        { wanted },
      );
    },
  });
};

/** Watches routes and hooks as they are added, here and in every plugin below. */
function findRoutes(app: FastifyInstance, map: RouteMap): void {
  const found: Array<{ method: string; path: string; handlers: unknown[]; within: object }> = [];
  const saidIn = new WeakMap<object, Declared[]>();
  const { addHook } = app as unknown as { addHook: (...hook: unknown[]) => FastifyInstance };
  addHook.call(app, "onRoute", function note(this: FastifyInstance, options: RouteOptions) {
    const { method, url, onRequest, preParsing, preValidation, preHandler } = options;
    const handlers = [onRequest, preParsing, preValidation, preHandler].flat();
    for (const one of methodNames([method].flat()))
      found.push({ method: one, path: url, handlers, within: this });
  });
  function watching(this: FastifyInstance, ...hook: unknown[]): FastifyInstance {
    const declared = map.saidBy(hook[1]);
    if (declared !== undefined) saidIn.set(this, [...(saidIn.get(this) ?? []), declared]);
    return addHook.apply(this, hook);
  }
  Object.assign(app, { addHook: watching });
  map.readFrom(() => {
    const withGet = new Set(found.filter(({ method }) => method === "GET").map(({ path }) => path));
    return found
      .filter(({ method, path }) => method !== "HEAD" || !withGet.has(path))
      .map(({ method, path, handlers, within }) => ({
        method,
        path,
        declared: [
          ...declaredIn(within, saidIn),
          ...handlers.map((one) => map.saidBy(one)).filter((one) => one !== undefined),
        ],
        isWhole: true,
      }));
  });
}

/** What was said by hooks of an instance, and of those that it stands in: each is made of the one around it. */
function declaredIn(instance: object | null, said: WeakMap<object, Declared[]>): Declared[] {
  if (instance === null) return [];
  return [
    ...(said.get(instance) ?? []),
    ...declaredIn(Object.getPrototypeOf(instance) as object | null, said),
  ];
}

/** The plugin; what it adds is there for the whole application. */
export const fastifyHasp = fastifyPlugin(plugin, { name: "lucchetto-hasp", fastify: "5.x" });

class FastifyVisit implements IncomingRequest {
  readonly method: string;
  readonly url: string;
  readonly #request: FastifyRequest;

  constructor(request: FastifyRequest) {
    this.method = request.method;
    this.url = request.url;
    this.#request = request;
  }

  /** Node reads them only when somebody asks. */
  get headers(): IncomingHttpHeaders {
    return this.#request.headers;
  }

  /** Fastify looks at the proxies in front to say it; few requests want it. */
  get address(): string {
    return this.#request.ip;
  }
}

function send(reply: FastifyReply, { status, headers, body }: Answer): FastifyReply {
  return reply.status(status).headers(headers).send(body);
}
