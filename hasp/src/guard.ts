/**
 * Which paths are closed without each route saying so. Frameworks differ in how they read a path (case, doubled slashes,
 * encoded letters, dot segments, targets in absolute form), so both ways err towards closed: an open path must be written
 * plainly, and a closed one is recognised in every reading that a router might take.
 */
import { isPathPattern } from "@lucchetto/contract/apps";
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
    return { matches: matcher(pattern, cleaned), wanted };
  });
  return (target) => {
    const readings = readingsOf(target);
    return closed
      .filter(({ matches }) => readings === null || [...readings].some(matches))
      .map(({ wanted }) => wanted);
  };
}

/** @throws RangeError for a pattern that is no path. */
export function assertPattern(pattern: PathPattern): void {
  if (isPathPattern(pattern)) return;
  throw new RangeError(`${JSON.stringify(pattern)} is no path such as /members or /members/*`);
}

function matcher(pattern: PathPattern, read: (path: string) => string): (path: string) => boolean {
  if (!pattern.endsWith("/*")) return (path) => path === read(pattern);
  const above = read(pattern.slice(0, -"/*".length));
  return (path) => path === above || path.startsWith(above === "/" ? "/" : `${above}/`);
}

/** Nothing in it that one reader takes for one path and another reader for another. */
function isPlain(path: string): boolean {
  return /^\/[\x21-\x7e]*$/.test(path) && !/[%\\;#]|\/\/|(?:^|\/)\.{1,2}(?:\/|$)/.test(path);
}

/** Turns of reading: something may be decoded, cut and resolved by a proxy, a router, and an application, one after the other. */
const MAX_TURNS = 8;
/** Whatever has more readings than this, or is odd and longer, is nobody's path: everything is wanted there. */
const MAX_READINGS = 300;
const MAX_ODD_LENGTH = 1_000;

/** Every path that some reader might take a target for, in small letters; `null`: too many. */
function readingsOf(target: string): ReadonlySet<string> | null {
  const path = target.split("?", 1)[0] ?? "";
  if (isPlain(path)) return new Set([cleaned(path)]);
  if (path.length > MAX_ODD_LENGTH) return null;
  const readings = new Set<string>();
  let fresh = new Set([path.toLowerCase()]);
  for (let turn = 0; turn <= MAX_TURNS && fresh.size > 0; turn += 1) {
    const found = new Set<string>();
    for (const text of fresh) {
      if (readings.size > MAX_READINGS) return null;
      readings.add(text);
      for (const step of STEPS) {
        const next = step(text);
        if (!readings.has(next)) found.add(next);
      }
    }
    fresh = found;
  }
  return fresh.size > 0 ? null : new Set([...readings].map(cleaned));
}

/** A target in absolute form (RFC 9112 section 3.2.2), and `//host/path`, which some take for another host and others for a path. */
const OTHER_FORMS = [
  /^[a-z][a-z0-9+.-]*:[/\\]*[^/\\?#]*([^?#]*)/i,
  /^[a-z][a-z0-9+.-]*:([^?#]*)/i,
  /^[/\\]{2,}[^/\\?#]*([^?#]*)/,
];

/** What readers make of a path, one step at a time. */
const STEPS: ReadonlyArray<(text: string) => string> = [
  (text) => decodeLeniently(text).toLowerCase(),
  ...OTHER_FORMS.map((form) => (text: string) => form.exec(text)?.[1] ?? text),
  // What comes out of an encoding may end the path for whoever reads on.
  (text) => text.split(/[?#]/, 1)[0] ?? "",
  (text) => text.split(";", 1)[0] ?? "",
  (text) => text.replace(/;[^/]*/g, ""),
  (text) => text.replaceAll("\\", "/"),
  (text) => text.replace(/\/+/g, "/"),
  (text) => resolved(text, /^\.{1,2}$/),
  (text) => resolved(text, /^(?:\.|%2e){1,2}$/),
];

/** Decodes what can be decoded; what is no UTF-8 stays. Bytes that came as they are have a character each. */
function decodeLeniently(text: string): string {
  const read = /^[\p{ASCII}\x80-\xff]*$/u.test(text) ? Buffer.from(text, "latin1").toString("utf8") : text;
  return (read.includes("\ufffd") ? text : read).replace(/(?:%[0-9a-f]{2})+/gi, (encoded) => {
    try {
      return decodeURIComponent(encoded);
    } catch {
      // No UTF-8: only what is ASCII is decoded, as most servers do.
      return encoded.replace(/%[0-7][0-9a-f]/gi, (one) => decodeURIComponent(one));
    }
  });
}

/** Dot segments taken for steps. @param dots what is taken for one: encoded ones are not by everybody (WHATWG URL does). */
function resolved(text: string, dots: RegExp): string {
  const path: string[] = [];
  for (const name of text.split("/").slice(1)) {
    if (!dots.test(name)) path.push(name);
    else if (name.replaceAll("%2e", ".") === "..") path.pop();
  }
  return `/${path.join("/")}`;
}

/** As patterns are read, and plain paths. */
function cleaned(path: string): string {
  const names = path.toLowerCase().split("/");
  return `/${names.filter((name) => name !== "" && name !== ".").join("/")}`;
}
