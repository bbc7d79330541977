/**
 * The hasp for Express and everything of its style.
 *
 *     const hasp = expressHasp({ service, clientId, appKey, returnAddress });
 *     app.use(hasp.own());
 *     app.get("/", hasp.open(), (request, response) => …request.account…);
 *     app.get("/members", hasp.closed(), (request, response) => …);
 *     app.get("/keepers", hasp.closed({ label: "keeper" }), (request, response) => …);
 */
import type { IncomingHttpHeaders, IncomingMessage, ServerResponse } from "node:http";
import type { MappedRoute } from "@lucchetto/contract/apps";
import type { AccessRequirements, OpenOptions } from "./access-requirements.ts";
import { assertWanted } from "./access-requirements.ts";
import type { SignedInAccount } from "./account.ts";
import { warnOfCacheable } from "./cacheable.ts";
import type { VisitorAtForm } from "./form-visitors.ts";
import type { Hasp } from "./hasp.ts";
import { createHasp } from "./hasp.ts";
import type { Answer, IncomingRequest } from "./incoming-request.ts";
import { pathOf } from "./incoming-request.ts";
import type { HaspOptions } from "./options.ts";
import type { Declared, FoundRoute, RouteMap } from "./route-map.ts";
import { methodNames, sampleOf } from "./route-map.ts";

declare global {
  // oxlint-disable-next-line typescript/no-namespace -- the way Express's request type is extended
  namespace Express {
    interface Request {
      /** Who is there. Set behind `hasp.open()` or `hasp.closed()`; `null` for a guest. */
      account?: SignedInAccount | null;
    }
  }
}

/** What a middleware gets: node's own request, with what Express adds to it. */
type Incoming = IncomingMessage & {
  originalUrl?: string;
  ip?: string | undefined;
  account?: SignedInAccount | null;
  app?: unknown;
};
/** What Express keeps of its routes. */
interface ExpressApp {
  readonly router: { readonly stack: readonly ExpressLayer[] };
}
/** A handler or a route, in the order in which they were added. */
interface ExpressLayer {
  readonly handle: unknown;
  readonly route?:
    | {
        readonly path: string | RegExp | ReadonlyArray<string | RegExp>;
        readonly methods: Readonly<Record<string, boolean>>;
        readonly stack: readonly ExpressLayer[];
      }
    | undefined;
  /** Whether it stands before a path. */
  match(path: string): boolean;
}
/** A function that Express and its kind call for each request. */
export type Middleware = (
  request: Incoming,
  response: ServerResponse,
  next: (error?: unknown) => void,
) => void;

/** The hasp as Express-style middleware. */
export interface ExpressHasp {
  /** The hasp's own addresses; use it before the application's routes. */
  own(): Middleware;
  /** Anybody may come in; whoever is signed in is known. */
  open(options?: OpenOptions): Middleware;
  /** Only who is signed in, and carries the wanted label, comes in. */
  closed(wanted?: AccessRequirements): Middleware;
  /**
   * The routes of an application: open, closed (and what is wanted), or undeclared. Of nested routers Express does not say where they stand. In
   * development the map is at /hasp-map, too.
   */
  map(app: object): MappedRoute[];
  /** Accounts by id or reference, to show names beside the application's own rows. */
  lookUp: Hasp["lookUp"];
  /** What the application's server does with accounts; for an app with the right `accounts`. */
  accounts: Hasp["accounts"];
  forms: {
    /** The visitor at a form of the application's own, with the option `forms`; cookies go into the response by themselves. */
    before(request: Incoming, response: ServerResponse): VisitorAtForm;
  };
}

/** Makes the middlewares. @throws HaspOptionsError if the set-up cannot work. */
export function expressHasp(options: HaspOptions): ExpressHasp {
  const hasp = createHasp(options);
  const isDevelopment = options.development ?? process.env["NODE_ENV"] !== "production";
  const warn = warnOfCacheable(options.warn ?? ((text) => process.emitWarning(text)));
  return {
    lookUp: hasp.lookUp,
    accounts: hasp.accounts,
    map(app) {
      hasp.routes.readFrom(() => routesOf(app, hasp.routes));
      return hasp.routes.list();
    },
    forms: {
      before: (request, response) =>
        hasp.forms.before(
          new ExpressVisit(request),
          (line) => void response.appendHeader("set-cookie", line),
        ),
    },
    own: () =>
      middleware((request, response) => {
        const visit = new ExpressVisit(request);
        const { app } = request;
        if (app !== undefined && hasp.isOwn(visit)) hasp.routes.readFrom(() => routesOf(app, hasp.routes));
        const guarded = hasp.guarded(visit);
        // Nearly every request is none of its own, and goes on without waiting for anything.
        return hasp.isOwn(visit) || guarded.length > 0 ? take(request, response, { visit, guarded }) : true;
      }),
    open: ({ asks = true } = {}) =>
      hasp.routes.declare(
        middleware(async (request, response) => {
          if (!asks) return true;
          const visit = new ExpressVisit(request);
          request.account = await hasp.open(visit);
          const answer = request.account === null ? hasp.askSilently(visit) : null;
          if (answer !== null) send(response, answer);
          return answer === null;
        }),
        { wanted: null },
      ),
    closed: (wanted = {}) => {
      assertWanted(wanted);
      return hasp.routes.declare(
        middleware((request, response) => pass(request, response, wanted)),
        { wanted },
      );
    },
  };

  async function take(
    request: Incoming,
    response: ServerResponse,
    { visit, guarded }: { visit: IncomingRequest; guarded: readonly AccessRequirements[] },
  ): Promise<boolean> {
    if (hasp.isOwn(visit)) {
      if (await hasp.live(visit, () => response)) return false;
      const answer = await hasp.own(visit);
      if (answer !== null) {
        send(response, answer);
        return false;
      }
    }
    for (const wanted of guarded) if (!(await pass(request, response, wanted))) return false;
    return true;
  }

  async function pass(
    request: Incoming,
    response: ServerResponse,
    wanted: AccessRequirements,
  ): Promise<boolean> {
    const visit = new ExpressVisit(request);
    const passage = await hasp.closed(visit, wanted);
    if ("answer" in passage) {
      send(response, passage.answer);
      return false;
    }
    request.account = passage.account;
    response.setHeader("cache-control", "no-store");
    if (isDevelopment) {
      response.once("finish", () => {
        if (response.statusCode < 400)
          warn(`${request.method} ${pathOf(visit)}`, response.getHeader("cache-control"));
      });
    }
    return true;
  }
}

/** All routes, with what stands before each. */
/** @param app Express's own; its declared types say nothing of what it keeps. */
function routesOf(app: unknown, map: RouteMap): FoundRoute[] {
  const { router } = app as ExpressApp;
  return routesIn(router.stack, { map, isWhole: true, before: [] });
}

function routesIn(
  stack: readonly ExpressLayer[],
  { map, isWhole, before }: { map: RouteMap; isWhole: boolean; before: readonly Declared[] },
): FoundRoute[] {
  const found: FoundRoute[] = [];
  for (const [at, { handle, route }] of stack.entries()) {
    const nested = (handle as { readonly stack?: readonly ExpressLayer[] } | null)?.stack;
    if (route === undefined) {
      if (nested !== undefined && typeof handle === "function")
        found.push(
          ...routesIn(nested, {
            map,
            isWhole: false,
            before: [...before, ...saidBefore(stack.slice(0, at), "/", map)],
          }),
        );
      continue;
    }
    const own = route.stack.map((one) => map.saidBy(one.handle)).filter((one) => one !== undefined);
    for (const path of [route.path].flat().map(String))
      for (const method of methodNames(Object.keys(route.methods)))
        found.push({
          method,
          path,
          declared: [...before, ...saidBefore(stack.slice(0, at), sampleOf(path), map), ...own],
          isWhole,
        });
  }
  return found;
}

/** What handlers before a path say that stand over it. */
function saidBefore(stack: readonly ExpressLayer[], path: string, map: RouteMap): Declared[] {
  return stack.flatMap((layer) => {
    const said = map.saidBy(layer.handle);
    return said !== undefined && layer.match(path) ? [said] : [];
  });
}

/** Goes on to what comes next if `work` says so; an error goes to the application's error handler. */
function middleware(
  work: (request: Incoming, response: ServerResponse) => boolean | Promise<boolean>,
): Middleware {
  return (request, response, next) => {
    const goesOn = work(request, response);
    if (goesOn === true) next();
    else if (goesOn !== false)
      goesOn.then((isOn) => {
        if (isOn) next();
      }, next);
  };
}

class ExpressVisit implements IncomingRequest {
  readonly method: string;
  readonly url: string;
  readonly #request: Incoming;

  constructor(request: Incoming) {
    this.method = request.method ?? "GET";
    this.url = request.originalUrl ?? request.url ?? "/";
    this.#request = request;
  }

  /** Node reads them only when somebody asks. */
  get headers(): IncomingHttpHeaders {
    return this.#request.headers;
  }

  /** Frameworks look at the proxies in front to say it; few requests want it. */
  get address(): string | undefined {
    return this.#request.ip ?? this.#request.socket.remoteAddress;
  }
}

function send(response: ServerResponse, { status, headers, body }: Answer): void {
  response.writeHead(status, { ...headers });
  response.end(body);
}
