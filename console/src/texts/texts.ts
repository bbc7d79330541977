/**
 * What people's pages say, in the language of the page. Components read it by key while they draw; nothing is spelt out in
 * them. The operators' console has texts of its own, so that nobody else loads them.
 */
import { en } from "./en.ts";

export type Texts = typeof en;

export let texts: Texts = en;

/** Chooses the language. Called once, before anything is drawn. */
export function setTexts(chosen: Texts): void {
  texts = chosen;
}
