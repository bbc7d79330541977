/** Every route that an application's map names, tried as a guest, in a session, and with the cookies of one that ended. */
import type { MappedRoute } from "@lucchetto/contract";
import { MAP_PATH, routeMap } from "@lucchetto/contract";
import type { Reply } from "./asking.ts";
import { StepFailed, StepLeftOut } from "./failed.ts";
import type { Step } from "./step.ts";
import type { Walk } from "./walk.ts";
import { cookieHeader } from "./walk.ts";

const JSON_WANTED = { accept: "application/json" };
/** Named in a sentence at most; the rest is counted. */
const MAX_NAMED = 5;

/** @throws StepLeftOut where no map is shown. */
async function routesOf(walk: Walk): Promise<MappedRoute[]> {
  const { status, text } = await walk.ask(walk.at(MAP_PATH), { headers: JSON_WANTED });
  const { data } = routeMap.safeParse(readJson(text));
  if (data === undefined)
    throw new StepLeftOut(`no map at ${MAP_PATH} (${status}): a hasp on Node shows it in development`);
  return data.routes.filter(({ isWhole }) => isWhole);
}

function readJson(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    // A page: the application has no map.
    return null;
  }
}

const isClosed = ({ access }: MappedRoute): boolean => access === "closed";
const isRead = ({ method }: MappedRoute): boolean => method === "GET" || method === "ALL";
const nameOf = ({ method, path }: MappedRoute): string => `${method} ${path}`;

/** Asks at each route. @returns those whose reply is none that was wanted. */
async function tryAll(
  walk: Walk,
  routes: readonly MappedRoute[],
  { cookie, isWanted }: { cookie?: string; isWanted: (reply: Reply) => boolean },
): Promise<string[]> {
  const faults: string[] = [];
  for (const route of routes) {
    const method = route.method === "ALL" ? "GET" : route.method;
    const headers = { ...JSON_WANTED, ...(cookie === undefined ? {} : { cookie }) };
    const reply = await walk.ask(walk.at(route.sample), { method, headers });
    if (!isWanted(reply)) faults.push(`${nameOf(route)} answered ${reply.status}`);
  }
  return faults;
}

/** Turned away before the application's own handler: 404 is the handler's word. */
const isTurnedAway = ({ status }: Reply): boolean => status >= 400 && status < 500 && status !== 404;

function failWith(faults: readonly string[]): void {
  if (faults.length === 0) return;
  const more = faults.length > MAX_NAMED ? `, and ${faults.length - MAX_NAMED} more` : "";
  throw new StepFailed(faults.slice(0, MAX_NAMED).join("; ") + more);
}

/** In their places among the others. */
export const MAP_STEPS = {
  guest: {
    id: "map-guest",
    title: "Every route that is to be closed is closed to a guest",
    expected: "a refusal at every closed route, and a word on each of the others",
    remedy:
      "Something before the hasp answers there, or the route was added before it. Register the hasp first.",
    needsBrowser: false,
    async try(walk) {
      const routes = await routesOf(walk);
      const closed = routes.filter(isClosed);
      failWith(await tryAll(walk, closed, { isWanted: isTurnedAway }));
      const undeclared = routes.filter(({ access }) => access === "undeclared");
      const flagged =
        undeclared.length === 0
          ? ""
          : `; nobody said whether ${undeclared.map(nameOf).slice(0, MAX_NAMED).join(", ")} is open`;
      return `${closed.length} closed${flagged}`;
    },
  },
  inside: {
    id: "map-inside",
    title: "Every closed route opens to whoever is signed in",
    expected: "no refusal, unless a label, a level or freshness is wanted",
    remedy:
      "People who are signed in are turned away. Compare the hasp's options with how the application is registered.",
    needsBrowser: true,
    after: ["register", "map-guest"],
    async try(walk) {
      const plain = (await routesOf(walk)).filter(
        (one) =>
          isClosed(one) &&
          isRead(one) &&
          one.wanted.every(
            ({ label, level, freshWithin }) =>
              label === undefined && level !== 2 && freshWithin === undefined,
          ),
      );
      const cookie = cookieHeader(walk.firstCookies);
      const isWanted = ({ status }: Reply): boolean => status !== 401 && status !== 403 && status < 500;
      failWith(await tryAll(walk, plain, { cookie, isWanted }));
      return `${plain.length} opened`;
    },
  },
  ended: {
    id: "map-ended",
    title: "No closed route opens with a cookie of before",
    expected: "a refusal at every closed route",
    remedy:
      "Whoever copied the cookie reads on there. Ask at every request who is there, as hasp.closed() does.",
    needsBrowser: true,
    after: ["sign-out", "map-guest"],
    async try(walk) {
      const closed = (await routesOf(walk)).filter(isClosed);
      const cookie = cookieHeader(walk.firstCookies);
      failWith(await tryAll(walk, closed, { cookie, isWanted: isTurnedAway }));
      return `${closed.length} refused`;
    },
  },
} satisfies Record<string, Step>;
