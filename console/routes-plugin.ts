/** `virtual:routes`: of each call of the contract its method and path; the schemas stay with the service. */
import type { Plugin } from "vite";
import { routes } from "../contract/src/routes/index.ts";

const ROUTES = "virtual:routes";

/** @param wanted which calls. */
export function routesWithoutSchemas(wanted: (name: string) => boolean): Plugin {
  return {
    name: "routes-without-schemas",
    resolveId: (id) => (id === ROUTES ? `\0${ROUTES}` : null),
    load: (id) => {
      if (id !== `\0${ROUTES}`) return null;
      const targets = Object.entries(routes)
        .filter(([name]) => wanted(name))
        .map(([name, { method, path }]) => [name, { method, path }]);
      return `export const routes = ${JSON.stringify(Object.fromEntries(targets))};`;
    },
  };
}

/** Calls of what is no part of the pages. */
export const isOfInside = (name: string): boolean => /Traces?$/.test(name);
