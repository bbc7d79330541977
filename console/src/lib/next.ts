/** Where somebody was going who came to a page on the way: kept from page to page, as long as it is a path of ours. */
import { ownPathOr } from "@lucchetto/contract/pages";
import { at, page } from "./page.ts";

/** The path that this page was opened with; `null`: none, or none of ours. */
export function nextOf(): string | null {
  const next = ownPathOr("", new URLSearchParams(window.location.search).get("next"), page.basePath);
  return next === "" ? null : next;
}

/**
 * The address of another page on the same way.
 * @param path below the service's. @param query what else it is opened with. @param next where it goes on to; as this page's, if left out.
 */
export function withNext(
  path: string,
  query: Readonly<Record<string, string>> = {},
  next = nextOf(),
): string {
  const members = new URLSearchParams(query);
  if (next !== null) members.set("next", next);
  return at(members.size === 0 ? path : `${path}?${members.toString()}`);
}
