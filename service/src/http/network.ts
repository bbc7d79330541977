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

/** Whether an address is one of those listed, or in one of the networks. @param entries addresses and CIDR networks. */
export function listedAmong(entries: readonly string[], address: string): boolean {
  const withoutZone = address.split("%", 1)[0] ?? "";
  if (!ipaddr.isValid(withoutZone)) return false;
  const parsed = ipaddr.process(withoutZone);
  return entries.some((entry) => {
    const [network, bits] = entry.includes("/")
      ? ipaddr.parseCIDR(entry)
      : [ipaddr.process(entry), entry.includes(":") ? 128 : 32];
    return network.kind() === parsed.kind() && parsed.match(network, bits);
  });
}
