/** Where a request comes from: an IPv4 address, or an IPv6 /64, since one household or machine has a whole one. */
import ipaddr from "ipaddr.js";

/** @param address textual IP address. @returns the network, `null` if the text is no address. */
export function networkOf(address: string): string | null {
  const withoutZone = address.split("%", 1)[0] ?? "";
  if (!ipaddr.isValid(withoutZone)) return null;
  // `process` turns ::ffff:192.0.2.1 into 192.0.2.1.
  const parsed = ipaddr.process(withoutZone);
  if (parsed instanceof ipaddr.IPv4) return parsed.toString();
  return `${ipaddr.IPv6.networkAddressFromCIDR(`${parsed.toString()}/64`).toString()}/64`;
}
