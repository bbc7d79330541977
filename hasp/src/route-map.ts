/** Which routes an application has, and what the hasp keeps of them: for whoever wants to see that none was forgotten. */
import type { MappedRoute } from "@lucchetto/contract/apps";
import { MAP_PATH, wantedInWords } from "@lucchetto/contract/apps";
import escapeHtml from "escape-html";
import type { AccessRequirements } from "./access-requirements.ts";
import { documentOf } from "./answers.ts";
import type { Answer, IncomingRequest } from "./incoming-request.ts";
import { isPage } from "./incoming-request.ts";
import type { HaspSettings } from "./options.ts";

/** What `open()` or `closed()` says of the routes that it stands before; `null`: open. */
export interface Declared {
  readonly wanted: AccessRequirements | null;
}

/** A route as a framework has it. */
export interface FoundRoute {
  readonly method: string;
  /** With its parameters: `/huts/:id`, `/members/*`. */
  readonly path: string;
  /** What was said of it, by handlers of its own and of what it stands in. */
  readonly declared: readonly Declared[];
  readonly isWhole: boolean;
}

export interface RouteMap {
  /** Notes what a handler says. @returns the same handler. */
  declare<Handler extends object>(handler: Handler, declared: Declared): Handler;
  /** @returns what a handler said, if it is one of the hasp's. */
  saidBy(handler: unknown): Declared | undefined;
  /** @param find all routes of now. */
  readFrom(find: () => readonly FoundRoute[]): void;
  list(): MappedRoute[];
  /** The page of development, or its JSON; `null`: there is none here. */
  show(visit: IncomingRequest): Answer | null;
}

/** A path that a route matches: each parameter is one letter. */
export function sampleOf(path: string): string {
  return path
    .replace(/\{([^}]*)\}/g, "$1")
    .replace(/[:*]\w*(?:\([^)]*\))?\??/g, "x")
    .replaceAll("**", "x");
}

/** More methods than a route is given one by one. */
const MANY = 7;

/** Of a route for every method, one word. */
export function methodNames(methods: readonly string[]): string[] {
  return methods.length >= MANY || methods.includes("_all")
    ? ["ALL"]
    : methods.map((one) => one.toUpperCase());
}

export function createRouteMap(
  settings: HaspSettings,
  { guard, isShown }: { guard: (target: string) => readonly AccessRequirements[]; isShown: boolean },
): RouteMap {
  const { paths, returnAddress } = settings;
  const said = new WeakMap<object, Declared>();
  /** `null`: whoever asks the hasp has no routes that it could know. */
  let find: (() => readonly FoundRoute[]) | null = null;
  const opensNamed = settings.guard !== undefined && "open" in settings.guard;

  function mapped({ method, path, declared, isWhole }: FoundRoute): MappedRoute {
    const sample = sampleOf(path);
    const closing = declared.flatMap(({ wanted }) => (wanted === null ? [] : [wanted]));
    const wanted = [...closing, ...(isWhole ? guard(sample) : [])];
    const isOpen = declared.length > 0 || (opensNamed && isWhole);
    const access = wanted.length > 0 ? "closed" : isOpen ? "open" : "undeclared";
    return { method, path, access, wanted, isWhole, sample };
  }

  function list(): MappedRoute[] {
    const own = [
      ["GET", paths.signIn],
      ["GET", paths.register],
      ["POST", paths.signOut],
      ["GET", returnAddress.pathname],
      ["GET", paths.live],
      ["GET", `${paths.live}.js`],
    ].map(([method = "", path = ""]) => ({
      method,
      path,
      access: "own" as const,
      wanted: [],
      isWhole: true,
      sample: path,
    }));
    const ownNames = new Set(own.map(({ method, path }) => `${method} ${path}`));
    const found = (find?.() ?? []).map(mapped);
    return [...found.filter(({ method, path }) => !ownNames.has(`${method} ${path}`)), ...own];
  }

  return {
    declare(handler, declared) {
      said.set(handler, declared);
      return handler;
    },
    saidBy: (handler) => (typeof handler === "function" ? said.get(handler) : undefined),
    readFrom: (from) => (find = from),
    list,
    show(visit) {
      if (!isShown || find === null) return null;
      const routes = list();
      if (isPage(visit)) return mapPage(routes);
      return {
        status: 200,
        headers: { "content-type": "application/json", "cache-control": "no-store" },
        body: JSON.stringify({ routes }),
      };
    },
  };
}

function mapPage(routes: readonly MappedRoute[]): Answer {
  const count = (access: MappedRoute["access"]) => routes.filter((one) => one.access === access).length;
  const undeclared = count("undeclared");
  const rows = routes.map((route) => {
    const cells = [
      route.method,
      (route.isWhole ? "" : "… ") + route.path,
      route.access,
      wantedInWords(route),
    ];
    const row = cells.map((cell) => `<td>${escapeHtml(cell)}</td>`).join("");
    return `<tr${route.access === "undeclared" ? ' class="flagged"' : ""}>${row}</tr>`;
  });
  const flagged =
    undeclared === 0
      ? ""
      : ` <strong>${undeclared} undeclared</strong>: nobody said whether they are open. Put hasp.open() or hasp.closed() before them, or a guard over all.`;
  return documentOf({
    status: 200,
    title: "Routes",
    body: `<p>${count("closed")} closed, ${count("open")} open.${flagged}</p><div class="wide"><table><thead><tr><th>Method</th><th>Path</th><th>Access</th><th>Wants</th></tr></thead><tbody>${rows.join("")}</tbody></table></div><p>Shown in development alone. The same in a terminal: <code>lucchetto map --app</code></p>`,
  });
}

/** Whether the map is shown at its address: in development, and at this machine's own name. */
export function isMapShown({ development, returnAddress }: HaspSettings): boolean {
  return development && /^(?:localhost|127\.\d+\.\d+\.\d+|\[::1\])$/.test(returnAddress.hostname);
}

export { MAP_PATH };
