/** Where a page may lead on to: a path of the service itself, and nothing that a browser could read as another host. */

/** Any origin does: it only shows whether a path stays on the origin it is resolved against. */
const SOME_ORIGIN = "https://own.example";

/**
 * The path if it is safe to navigate to, else `fallback`. Refused are other origins in every spelling that browsers
 * accept (`//host`, `/\host`, tabs or line breaks inside, a scheme), and paths outside `basePath`.
 */
export function ownPathOr(fallback: string, wanted: string | null | undefined, basePath = ""): string {
  if (wanted === null || wanted === undefined || !wanted.startsWith("/")) return fallback;
  if (!/^[\x21-\x5b\x5d-\x7e]+$/.test(wanted) || wanted.startsWith("//")) return fallback;
  const url = new URL(wanted, SOME_ORIGIN);
  const stays = url.origin === SOME_ORIGIN && !url.pathname.startsWith("//");
  const below = basePath === "" || url.pathname === basePath || url.pathname.startsWith(`${basePath}/`);
  return stays && below ? url.pathname + url.search + url.hash : fallback;
}
