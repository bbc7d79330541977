/** The release that this is of; the service names its own in a header of every call. */

/** The release of all packages. */
export const VERSION = "0.1.0";

/** In which the service names its release. */
export const VERSION_HEADER = "lucchetto-version";

/**
 * Whether the first of two releases came before the second. @param one of three numbers with points between; so is the other.
 * @example
 * ```ts
 * isOlder("1.4.0", "1.10.0") // → true
 * isOlder("1.4.0", "1.4.0") // → false
 * ```
 */
export function isOlder(one: string, other: string): boolean {
  const parts = (version: string): number[] => version.split(".").map((part) => Number.parseInt(part, 10));
  const [left, right] = [parts(one), parts(other)];
  const place = left.findIndex((part, index) => part !== right[index]);
  return place >= 0 && (left[place] ?? 0) < (right[place] ?? 0);
}
