/**
 * At which hosts the service answers. A page from elsewhere can make a name of its own lead to this machine; the browser
 * then takes both for one origin, but still says the foreign name (DNS rebinding).
 */
import { isLoopbackHost } from "@lucchetto/core";
import type { Configuration } from "../config/index.ts";

type Settings = Pick<Configuration, "publicUrl" | "mode"> & {
  readonly listen: Pick<Configuration["listen"], "hosts">;
};

const DEFAULT_PORTS: Readonly<Record<string, string>> = { "http:": "80", "https:": "443" };

/** @returns whether the text of a Host header (RFC 9110 section 7.2) names this service. */
export function readOwnHosts({ publicUrl, mode, listen }: Settings): (host: string | undefined) => boolean {
  const url = new URL(publicUrl);
  const exact = new Set([url.host, `${url.hostname}:${url.port || (DEFAULT_PORTS[url.protocol] ?? "")}`]);
  const anyPort = new Set<string>();
  for (const listed of listen.hosts) (/:\d+$/.test(listed) ? exact : anyPort).add(listed);
  return (host) => {
    if (host === undefined) return false;
    const text = host.toLowerCase();
    if (exact.has(text)) return true;
    const name = text.replace(/:\d{1,5}$/, "");
    // Names that no resolver can make lead elsewhere.
    return anyPort.has(name) || (mode === "development" && isLoopbackHost(name));
  };
}
