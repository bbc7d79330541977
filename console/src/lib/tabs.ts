/** Tabs of one browser tell each other when somebody signs in or out, so that none shows what is not true any more. */
import type { LinkLook } from "@lucchetto/contract";
import { page } from "./page.ts";

const channel = new BroadcastChannel(`lucchetto-session${page.basePath}`);

/** What a mailed link was for. */
type Purpose = LinkLook["purpose"];
/** What tabs tell each other: who is signed in has changed, or a mailed link has done its work. */
type Word = "changed" | `used ${Purpose}`;

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

/** Tells the other tabs that a mailed link was used here: whichever of them waits for one of its kind goes on. */
export function tellMailUsed(purpose: Purpose): void {
  channel.postMessage(`used ${purpose}` satisfies Word);
}

/** Hears that from other tabs. @returns stops listening. */
export const hearMailUsed = (purpose: Purpose, used: () => void): (() => void) =>
  hearing(`used ${purpose}`, used);
