/** What the service wrote into this page, and the client for its calls. */
import type { PageState } from "@lucchetto/contract";
import { createPageClient, PAGE_STATE_ELEMENT } from "@lucchetto/contract/pages";

export const page = JSON.parse(
  document.getElementById(PAGE_STATE_ELEMENT)?.textContent ?? "null",
) as PageState;

/** Milliseconds by which the service's clock is ahead of this device's, which may be wrong. */
let ahead = 0;

/** Calls carry the own cookie by themselves. */
export const call = createPageClient({
  baseUrl: page.basePath,
  onReply(headers) {
    ahead = Date.parse(headers.get("date") ?? "") - Date.now() || 0;
  },
});

/** Milliseconds until a time of the service's (past it: below zero), within a second or two. */
export const millisecondsUntil = (time: string): number => Date.parse(time) - Date.now() - ahead;

/** A path of this service as the browser needs it. */
export function at(path: string): string {
  return page.basePath + path;
}

/** Leaves this page for another address. */
export function go(address: string): void {
  window.location.assign(address);
}

/** Sets the title: what this page is, then whose it is. */
export function title(what: string): string {
  return `${what} · ${page.site.name}`;
}
