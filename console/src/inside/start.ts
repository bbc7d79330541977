/**
 * Development alone, on every page of people's: the way to look inside. A tab at the lower edge; what opens from it is loaded when
 * somebody opens it. It is no part of the pages: the service adds it to them.
 */
import type { show as Show } from "./show.ts";

const KEPT = "lucchetto-inside";
/** Built beside this one. */
const SHOW = import.meta.url.replace(/start\.js$/, "show.js");

const aside = document.createElement("aside");
aside.ariaLabel = "Look inside";
// What stands inside is for developers, and in English on every page.
aside.lang = "en";
const tab = document.createElement("button");
tab.type = "button";
const isItalian = document.documentElement.lang === "it";
tab.lang = isItalian ? "it" : "en";
tab.textContent = isItalian ? "Guarda dentro" : "Look inside";
tab.ariaExpanded = "false";
// The policy of the pages lets no style stand in them; what a script sets is none of that.
tab.style.cssText =
  "position:fixed;inset-inline-end:1rem;bottom:0;z-index:30;padding:.25rem .875rem;border:1px solid var(--line);border-bottom:0;border-radius:.5rem .5rem 0 0;background:var(--slab);color:var(--quiet);font-size:.875rem;cursor:pointer";
document.body.style.paddingBottom = "2.5rem";
aside.append(tab);
document.body.append(aside);

async function open(): Promise<void> {
  tab.ariaExpanded = "true";
  tab.hidden = true;
  sessionStorage.setItem(KEPT, "open");
  const { show } = (await import(/* @vite-ignore */ SHOW)) as { show: typeof Show };
  show(aside, () => {
    sessionStorage.removeItem(KEPT);
    tab.ariaExpanded = "false";
    tab.hidden = false;
    tab.focus();
  });
}

tab.addEventListener("click", () => void open());
if (sessionStorage.getItem(KEPT) === "open") void open();
