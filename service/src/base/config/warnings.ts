/** Settings that can be used and are most likely not meant: `check` and the start say them by name. */
import ipaddr from "ipaddr.js";
import type { Configuration } from "./schema.ts";
import type { Environment } from "./secrets.ts";
import { SECRET_VARIABLES } from "./secrets.ts";

interface ConfigurationWarning {
  /** The setting or the variable. */
  readonly name: string;
  readonly detail: string;
}

/** The widest networks that are anybody's own: 10.0.0.0/8 (RFC 1918) and fc00::/7 (RFC 4193). */
const WIDEST_OWN_BITS = { ipv4: 8, ipv6: 7 } as const;

/** @param environment whose variables overrode settings. */
export function warningsOf(
  configuration: Configuration,
  environment: Environment = process.env,
): ConfigurationWarning[] {
  return [...warningsOfVariables(environment), ...warningsOfNetworks(configuration)];
}

function warningsOfVariables(environment: Environment): ConfigurationWarning[] {
  return Object.values(SECRET_VARIABLES)
    .filter((name) => environment[name] === "")
    .map((name) => ({
      name,
      detail: "it is set and empty, and taken as not set; give it its value, or remove it",
    }));
}

function warningsOfNetworks({
  trustedProxies,
  proxyCheck,
  metrics,
  webhooks,
}: Configuration): ConfigurationWarning[] {
  const lists = [
    ["trustedProxies", trustedProxies, "whoever connects from there says from where a request comes"],
    ["proxyCheck.proxies", proxyCheck.proxies, "whoever connects from there may ask who is signed in"],
    ["metrics.from", metrics.from, "whoever connects from there reads the metrics"],
    ["webhooks.privateReceivers", webhooks.reach.listed, "whatever listens there can be called"],
  ] as const;
  return lists.flatMap(([name, entries, consequence]) =>
    entries.filter(isWiderThanOwn).map((entry) => ({
      name,
      detail: `${entry} is wider than any network of one's own: ${consequence}; name the addresses that are meant, such as 127.0.0.1 or 10.0.0.0/8`,
    })),
  );
}

function isWiderThanOwn(entry: string): boolean {
  if (!entry.includes("/")) return false;
  const [network, bits] = ipaddr.parseCIDR(entry);
  return bits < WIDEST_OWN_BITS[network.kind()];
}
