/** Waiting for pages: a state is awaited, as far as pages ever come to one. */
import type { Locator, Page, Request } from "playwright-core";

/** Requests of each tab that are under way; streams, which never end, do not count. */
const underWay = new WeakMap<Page, Set<Request>>();
const STREAMS = new Set(["eventsource", "websocket", "media", "ping"]);
/** Milliseconds without a new request after which a page with scripts has come to rest. */
const AT_REST = 300;
const BETWEEN = 30;
/** Milliseconds after which a page that never rests is taken as it is. */
const MAX_UNREST_MILLISECONDS = 20_000;

/** Counts what a tab asks for, from now on. */
export function watched(page: Page): Page {
  const open = new Set<Request>();
  underWay.set(page, open);
  page.on("request", (request) => STREAMS.has(request.resourceType()) || open.add(request));
  for (const end of ["requestfinished", "requestfailed"] as const)
    page.on(end as "requestfailed", (request) => open.delete(request));
  return page;
}

/** Waits until a page asks for nothing any more, as far as it ever comes to that; one without scripts does not once it is there. */
export async function settle(page: Page): Promise<void> {
  const end = performance.now() + MAX_UNREST_MILLISECONDS;
  let since = performance.now();
  let rest = 0;
  while (performance.now() < end) {
    await page.waitForLoadState("load");
    if ((underWay.get(page)?.size ?? 0) > 0) since = performance.now();
    else if (performance.now() - since >= rest) {
      if (rest > 0 || !(await hasScripts(page))) return;
      rest = AT_REST;
    }
    await new Promise((resolve) => setTimeout(resolve, BETWEEN));
  }
}

/** Clicks, and waits for what comes of it: a click that asks for nothing has come to rest as well. */
export async function click(page: Page, control: Locator): Promise<void> {
  const asked = page.waitForEvent("request", { timeout: AT_REST }).catch(() => null);
  await control.click();
  await asked;
  await settle(page);
}

/** Whether a page may ask for more by itself; one that is just being left may. */
const hasScripts = (page: Page): Promise<boolean> =>
  page.evaluate("document.scripts.length > 0").then(
    (some) => some === true,
    () => true,
  );
