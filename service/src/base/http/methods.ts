/** What stands at no address gets 404; what stands there for other methods gets 405 and their list. */
import type { FastifyInstance, FastifyReply, FastifyRequest, HTTPMethods } from "fastify";
import findMyWay from "find-my-way";
import { ProblemReply } from "../problem.ts";

/** Remembers which methods each address takes. Called before any route is registered. */
export function rememberMethods(app: FastifyInstance): (path: string) => string[] {
  const routes = new Map<HTTPMethods, Set<string>>();
  app.addHook("onRoute", ({ method, url }) => {
    for (const one of [method].flat() as HTTPMethods[])
      routes.set(one, (routes.get(one) ?? new Set()).add(url));
  });
  let made: ReturnType<typeof routerOf> | null = null;
  return (path) => {
    // Only when somebody meets an address at which nothing stands.
    const router = (made ??= routerOf(routes));
    return [...routes.keys()]
      .filter((method) => router.find(method as findMyWay.HTTPMethod, path) !== null)
      .sort();
  };
}

function routerOf(routes: ReadonlyMap<HTTPMethods, ReadonlySet<string>>) {
  const router = findMyWay();
  for (const [method, urls] of routes)
    for (const url of urls) router.on(method as findMyWay.HTTPMethod, url, () => undefined);
  return router;
}

/** Throws the problem for a request that met no route. */
export function refuseUnknown(
  methodsOf: (path: string) => string[],
  request: FastifyRequest,
  _reply: FastifyReply,
): never {
  const allowed = methodsOf(request.url.split("?", 1)[0] ?? "");
  if (allowed.length === 0) throw new ProblemReply("not-found");
  throw new ProblemReply("method-not-allowed", {
    detail: `${request.method} is not for this address; it takes ${allowed.join(", ")}.`,
    headers: { allow: allowed.join(", ") },
  });
}
