/** Return addresses of apps: what may be registered. At use they are compared whole (RFC 9700 section 4.1). */

const LOOPBACK_HOSTS = new Set(["localhost", "127.0.0.1", "[::1]"]);

/**
 * Says what is wrong with an address somebody wants to register, or `null` if it may be.
 * Plain http is for loopback alone; a fragment or credentials never make sense in one (RFC 6749 section 3.1.2).
 * @example
 * ```ts
 * faultOfReturnAddress("https://huts.example/signed-in") // → null
 * faultOfReturnAddress("http://huts.example/signed-in") // → "must begin with https:// outside loopback"
 * ```
 */
export function faultOfReturnAddress(text: string): string | null {
  if (!URL.canParse(text)) return "is not an absolute address such as https://app.example/signed-in";
  const url = new URL(text);
  if (url.protocol !== "https:" && url.protocol !== "http:") return "must begin with https://";
  if (url.protocol === "http:" && !isLoopbackHost(url.hostname))
    return "must begin with https:// outside loopback";
  if (text.includes("#")) return "must have no fragment (#…)";
  if (url.hostname.includes("*")) return "must name one host; * stands for none";
  if (url.username !== "" || url.password !== "") return "must hold no user name or password";
  if (url.href !== text) return `must be written in its normal form, ${url.href}`;
  return null;
}

/**
 * Whether a URL's host name is this machine itself.
 * @example
 * ```ts
 * isLoopbackHost("localhost") // → true
 * isLoopbackHost("brina.example") // → false
 * ```
 */
export function isLoopbackHost(hostname: string): boolean {
  return LOOPBACK_HOSTS.has(hostname);
}
