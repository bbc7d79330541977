/** Where a request comes from: an IPv4 address, or an IPv6 /64, since one household or machine has a whole one. */
import { isIP } from "node:net";
import ipaddr from "ipaddr.js";

/**
 * Reads an address strictly: what programs write in more than one way (octal or hexadecimal parts, fewer than four) is none.
 * @param text an IP address, perhaps with a zone (RFC 4007 section 11).
 * @returns it as RFC 5952 writes it, an IPv4 address that is mapped into IPv6 as such; `null` if the text is none.
 */
export function readAddress(text: string): string | null {
  const withoutZone = text.split("%", 1)[0] ?? "";
  // `process` turns ::ffff:192.0.2.1 into 192.0.2.1.
  return isIP(withoutZone) === 0 ? null : ipaddr.process(withoutZone).toString();
}

/** @param address textual IP address. @returns the network, `null` if the text is no address. */
export function networkOf(address: string): string | null {
  const read = readAddress(address);
  if (read === null || !read.includes(":")) return read;
  return `${ipaddr.IPv6.networkAddressFromCIDR(`${read}/64`).toString()}/64`;
}

/** Whether an address is this machine itself. */
export function isLoopbackAddress(address: string): boolean {
  const read = readAddress(address);
  return read !== null && ipaddr.parse(read).range() === "loopback";
}

/** Whether an address is one of those listed, or in one of the networks. @param entries addresses and CIDR networks. */
export function listedAmong(entries: readonly string[], address: string): boolean {
  const read = readAddress(address);
  if (read === null) return false;
  const parsed = ipaddr.parse(read);
  return entries.some((entry) => {
    const [network, bits] = entry.includes("/")
      ? ipaddr.parseCIDR(entry)
      : [ipaddr.process(entry), entry.includes(":") ? 128 : 32];
    return network.kind() === parsed.kind() && parsed.match(network, bits);
  });
}
