/**
 * Which paths are closed without each route saying so. Frameworks differ in how they read a path (case, doubled slashes,
 * encoded letters, dot segments, targets in absolute form), so both ways err towards closed: an open path must be written
 * plainly, and a closed one is recognised in every reading that a router might take.
 */
import type { AccessRequirements } from "./access-requirements.ts";

/** `/members` is that path alone, `/members/*` also everything below it. */
export type PathPattern = string;

/** Either everything is closed but these paths, or everything is open but those. */
export type Guard =
  | { readonly open: readonly PathPattern[] }
  | { readonly closed: ReadonlyArray<PathPattern | ({ readonly path: PathPattern } & AccessRequirements)> };

const NOTHING: readonly AccessRequirements[] = [];

/**
 * @returns for a request target what is wanted there: all of it, for it may be read as more than one closed path; nothing
 * where it is open.
 */
export function readGuard(guard: Guard | undefined): (target: string) => readonly AccessRequirements[] {
  if (guard === undefined) return () => NOTHING;
  if ("open" in guard) {
    const open = guard.open.map((pattern) => matcher(pattern, (path) => path));
    return (target) => {
      const path = target.split("?", 1)[0] ?? "";
      return isPlain(path) && open.some((matches) => matches(path)) ? [] : [{}];
    };
  }
  const closed = guard.closed.map((one) => {
    const { path: pattern, ...wanted } = typeof one === "string" ? { path: one } : one;
    return { matches: matcher(pattern, plainly), wanted };
  });
  return (target) => {
    const readings = readingsOf(target);
    return closed.filter(({ matches }) => readings.some(matches)).map(({ wanted }) => wanted);
  };
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
  return /^\//.test(path) && !/[%\\;#]|\/\/|(?:^|\/)\.{1,2}(?:\/|$)/.test(path);
}

/** As often as something may be decoded on its way: by a proxy, a router, and an application. */
const MAX_DECODINGS = 3;

/** Every path that some reader might take a target for. */
function readingsOf(target: string): string[] {
  const texts = new Set<string>();
  for (const form of formsOf(target)) {
    let text = form;
    for (let round = 0; round <= MAX_DECODINGS; round += 1) {
      // A separator that comes out of an encoding may end the path for whoever reads on.
      for (const part of [text, text.split(/[?#]/, 1)[0] ?? ""]) texts.add(part);
      const decoded = decodeLeniently(text);
      if (decoded === text) break;
      text = decoded;
    }
  }
  return [...texts].flatMap((text) => [plainly(text), resolved(text)]);
}

/** The target as a path, and the path of one in absolute form (RFC 9112 section 3.2.2). */
function formsOf(target: string): string[] {
  const absolute = /^[a-z][a-z0-9+.-]*:\/*[^/?#\\]*([^?#]*)/i.exec(target)?.[1];
  const path = target.split("?", 1)[0] ?? "";
  // `//host/path` is taken for another host by some, and for a path by others.
  const behindHost = /^[/\\]{2,}[^/?#\\]*([^?#]*)/.exec(target)?.[1];
  return [path, absolute, behindHost].filter((form) => form !== undefined);
}

/** Decodes what can be decoded; what is no UTF-8 stays. */
function decodeLeniently(text: string): string {
  return text.replace(/(?:%[0-9a-f]{2})+/gi, (encoded) => {
    try {
      return decodeURIComponent(encoded);
    } catch {
      // No UTF-8: only what is ASCII is decoded, as most servers do.
      return encoded.replace(/%[0-7][0-9a-f]/gi, (one) => decodeURIComponent(one));
    }
  });
}

function segmentsOf(text: string): string[] {
  return text
    .replaceAll("\\", "/")
    .toLowerCase()
    .split("/")
    .map((part) => part.split(";", 1)[0] ?? "")
    .filter((name) => name !== "" && name !== ".");
}

/** For readers that take dot segments for names. */
function plainly(text: string): string {
  return `/${segmentsOf(text).join("/")}`;
}

/** For readers that resolve them. */
function resolved(text: string): string {
  const names: string[] = [];
  for (const name of segmentsOf(text)) {
    if (name === "..") names.pop();
    else names.push(name);
  }
  return `/${names.join("/")}`;
}
