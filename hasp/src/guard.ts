/**
 * Which paths are closed without each route saying so. Frameworks differ in how they read a path (case, doubled
 * slashes, encoded letters), so both ways err towards closed: an open path must be written plainly, and a closed one is
 * recognised in every spelling.
 */
import type { Wanted } from "./wanted.ts";

/** `/members` is that path alone, `/members/*` also everything below it. */
export type PathPattern = string;

/** Either everything is closed but these paths, or everything is open but those. */
export type Guard =
  | { readonly open: readonly PathPattern[] }
  | { readonly closed: ReadonlyArray<PathPattern | ({ readonly path: PathPattern } & Wanted)> };

/** @returns for a path what is wanted there, `null` where it is open. */
export function readGuard(guard: Guard | undefined): (path: string) => Wanted | null {
  if (guard === undefined) return () => null;
  if ("open" in guard) {
    const open = guard.open.map((pattern) => matcher(pattern, (path) => path));
    return (path) => (isPlain(path) && open.some((matches) => matches(path)) ? null : {});
  }
  const closed = guard.closed.map((one) => {
    const { path: pattern, ...wanted } = typeof one === "string" ? { path: one } : one;
    return { matches: matcher(pattern, loosely), wanted };
  });
  return (path) => closed.find(({ matches }) => matches(loosely(path)))?.wanted ?? null;
}

/** @throws RangeError for a pattern that is no path. */
export function assertPattern(pattern: PathPattern): void {
  if (/^\/(?:[^*?#\s]*|[^*?#\s]*\/\*)$/.test(pattern)) return;
  throw new RangeError(`${JSON.stringify(pattern)} is no path such as /members or /members/*`);
}

function matcher(pattern: PathPattern, read: (path: string) => string): (path: string) => boolean {
  if (!pattern.endsWith("/*")) return (path) => path === read(pattern);
  const above = read(pattern.slice(0, -"/*".length));
  return (path) => path === above || path.startsWith(above === "/" ? "/" : `${above}/`);
}

/** Nothing in it that one reader takes for one path and another reader for another. */
function isPlain(path: string): boolean {
  return !/%|\\|\/\/|;|(?:^|\/)\.{1,2}(?:\/|$)/.test(path);
}

/** The path under which every spelling of it meets. */
function loosely(path: string): string {
  let text = path;
  // Twice: what was encoded twice may be decoded twice on the way.
  for (let round = 0; round < 2; round += 1) {
    try {
      text = decodeURIComponent(text);
    } catch {
      break;
    }
  }
  const parts: string[] = [];
  for (const part of text.replaceAll("\\", "/").toLowerCase().split("/")) {
    const name = part.split(";", 1)[0] ?? "";
    if (name === "..") parts.pop();
    else if (name !== "" && name !== ".") parts.push(name);
  }
  return `/${parts.join("/")}`;
}
