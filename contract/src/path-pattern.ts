/** Patterns of closed and open paths, as the hasp's guard and `lucchetto front` take them. */

/** Whether a text is a path such as `/members` (that alone) or `/members/*` (and everything below). */
export function isPathPattern(text: string): boolean {
  return /^\/(?:[^*?#\s]*|[^*?#\s]*\/\*)$/.test(text);
}
