/** In development: says when the reply of a closed page may be kept by a browser, where the back button shows it after signing out. */

/** Whether a Cache-Control value lets a browser keep the reply. */
function isCacheable(cacheControl: unknown): boolean {
  return !/\bno-store\b/i.test(String(cacheControl ?? ""));
}

/** @returns says it once for each route. */
export function warnOfCacheable(say: (text: string) => void): (route: string, cacheControl: unknown) => void {
  const said = new Set<string>();
  return (route, cacheControl) => {
    if (!isCacheable(cacheControl) || said.has(route)) return;
    said.add(route);
    say(
      `hasp: ${route} is closed, but its reply may be kept by browsers (Cache-Control: ${String(cacheControl ?? "missing")}). After signing out, the back button would show it. Leave the header as the hasp sets it: no-store.`,
    );
  };
}
