/**
 * At which hosts the service answers. A page from elsewhere can make a name of its own lead to this machine; the browser
 * then takes both for one origin, but still says the foreign name (DNS rebinding).
 */
import type { IncomingMessage } from "node:http";
import { isLoopbackHost } from "@lucchetto/core";
import type { Configuration } from "../config/index.ts";
import { isLoopbackAddress } from "./network.ts";

type Settings = Pick<Configuration, "publicUrl" | "mode"> & {
  readonly listen: Pick<Configuration["listen"], "hosts">;
};

const DEFAULT_PORTS: Readonly<Record<string, string>> = { "http:": "80", "https:": "443" };

/**
 * The host that a request names. Several Host headers are refused (RFC 9112 section 3.2): whoever stands before us may have read another one.
 * @returns `null` where there are several.
 */
export function hostOf({ headers, rawHeaders }: IncomingMessage): string | undefined | null {
  let count = 0;
  for (let index = 0; index < rawHeaders.length; index += 2)
    if (rawHeaders[index]?.length === 4 && rawHeaders[index]?.toLowerCase() === "host") count += 1;
  return count > 1 ? null : headers.host;
}

/** Whether a request comes from this machine and names it so: no proxy does, and no name of somebody else leads here. */
export function isLocal({ socket, headers: { host } }: IncomingMessage): boolean {
  const { remoteAddress = "" } = socket;
  return isLoopbackHost(nameOf(host?.toLowerCase() ?? "")) && isLoopbackAddress(remoteAddress);
}

const nameOf = (host: string): string => host.replace(/:\d{1,5}$/, "");

/** @returns whether the text of a Host header (RFC 9110 section 7.2) names this service. */
export function readOwnHosts({
  publicUrl,
  mode,
  listen,
}: Settings): (host: string | undefined | null) => boolean {
  const url = new URL(publicUrl);
  const exact = new Set([url.host, `${url.hostname}:${url.port || (DEFAULT_PORTS[url.protocol] ?? "")}`]);
  const anyPort = new Set<string>();
  for (const listed of listen.hosts) (/:\d+$/.test(listed) ? exact : anyPort).add(listed);
  return (host) => {
    if (host === undefined || host === null) return false;
    const text = host.toLowerCase();
    if (exact.has(text)) return true;
    const name = nameOf(text);
    // Names that no resolver can make lead elsewhere.
    return anyPort.has(name) || (mode === "development" && isLoopbackHost(name));
  };
}
