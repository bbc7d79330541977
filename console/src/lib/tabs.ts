/** Tabs of one browser tell each other when somebody signs in or out, so that none shows what is not true any more. */
import { page } from "./page.ts";

const channel = new BroadcastChannel(`lucchetto-session${page.basePath}`);

/** Tells the other tabs that who is signed in has changed. */
export function tellTabs(): void {
  channel.postMessage("changed");
}

/** Hears it from other tabs. @returns stops listening. */
export function hearTabs(changed: () => void): () => void {
  const hear = (): void => changed();
  channel.addEventListener("message", hear);
  return () => channel.removeEventListener("message", hear);
}
