/** Tabs of one browser tell each other when somebody signs in or out, so that none shows what is not true any more. */
import { page } from "./page.ts";

const channel = new BroadcastChannel(`lucchetto-session${page.basePath}`);

/** What tabs tell each other: who is signed in has changed, or a mailed link has done its work. */
type Word = "changed" | "mail-used";

function hearing(word: Word, heard: () => void): () => void {
  const hear = ({ data }: MessageEvent<Word>): void => {
    if (data === word) heard();
  };
  channel.addEventListener("message", hear);
  return () => channel.removeEventListener("message", hear);
}

/** Tells the other tabs that who is signed in has changed. */
export function tellTabs(): void {
  channel.postMessage("changed" satisfies Word);
}

/** Hears it from other tabs. @returns stops listening. */
export const hearTabs = (changed: () => void): (() => void) => hearing("changed", changed);

/** Tells the other tabs that a mailed link was used here: whichever of them waits for it goes on. */
export function tellMailUsed(): void {
  channel.postMessage("mail-used" satisfies Word);
}

/** Hears that from other tabs. @returns stops listening. */
export const hearMailUsed = (used: () => void): (() => void) => hearing("mail-used", used);
