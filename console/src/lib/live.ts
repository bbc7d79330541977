/**
 * Keeps all tabs of a browser true to who is signed in. One tab holds the stream of events for all of them (browsers open
 * few connections to a host); the others wait to take its place.
 */
import { SESSION_EVENTS_PATH } from "@lucchetto/contract/pages";
import { at, page } from "./page.ts";
import { session } from "./session.svelte.ts";
import { hearTabs, tellTabs } from "./tabs.ts";

/** Milliseconds before a stream that was refused is asked for again. */
const PAUSE = 5_000;

/** Begins; lasts as long as the page. */
export function stayLive(): void {
  hearTabs(() => void refresh());
  // Without locks (an old browser) each tab hears only what others tell.
  void navigator.locks?.request(`lucchetto-live${page.basePath}`, () => new Promise<never>(() => hold()));
}

/** Asks again who is there, if this page had asked before. */
async function refresh(): Promise<void> {
  if (session.who.state !== "unknown") await session.ask();
}

function hold(): void {
  let stream: EventSource | null = null;
  const open = (): void => {
    stream?.close();
    stream = new EventSource(at(SESSION_EVENTS_PATH));
    stream.addEventListener("ended", () => {
      stream?.close();
      tellTabs();
      void refresh();
    });
    stream.addEventListener("error", () => {
      // Closed for good: nobody is signed in (204), or it was refused.
      if (stream?.readyState === EventSource.CLOSED && session.who.state === "signed-in")
        setTimeout(open, PAUSE);
    });
  };
  hearTabs(open);
  open();
}
