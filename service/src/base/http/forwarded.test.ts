import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { clientAddressOf, readForwarded, readForwardedFor } from "./forwarded.ts";

const PROXY = "10.0.0.1";
const ask = (
  headers: Record<string, string>,
  {
    peer = PROXY,
    header = "X-Forwarded-For",
  }: { peer?: string; header?: "X-Forwarded-For" | "Forwarded" } = {},
) =>
  clientAddressOf({ headers, socket: { remoteAddress: peer } } as never, {
    trustedProxies: ["10.0.0.0/8", "2001:db8:ffff::/48"],
    forwardedHeader: header,
  });
const behind = (value: string) => ask({ "x-forwarded-for": value });
const forwarded = (value: string) => ask({ forwarded: value }, { header: "Forwarded" });

describe("TH-6 X-Forwarded-For, as balancers write it", () => {
  test.each([
    ["203.0.113.10", "203.0.113.10"],
    // With the client's port, as some write it.
    ["203.0.113.10:4711", "203.0.113.10"],
    ["[2001:db8::17]:4711", "2001:db8::17"],
    ["[2001:db8::17]", "2001:db8::17"],
    ["2001:db8::17", "2001:db8::17"],
    // Without brackets, and with a port that makes nine parts.
    ["2001:db8:1:2:3:4:5:6:4711", "2001:db8:1:2:3:4:5:6"],
    ["fe80::1%eth0", "fe80::1"],
    ["[fe80::1%25eth0]:80", "fe80::1"],
    ['"[2001:db8::17]:4711"', "2001:db8::17"],
    ["::ffff:203.0.113.10", "203.0.113.10"],
    ["::ffff:cb00:710a", "203.0.113.10"],
    ["[::ffff:203.0.113.10]:4711", "203.0.113.10"],
    ["2001:DB8:0:0:0:0:0:17", "2001:db8::17"],
    // Several headers come joined; the end was written last.
    ["198.51.100.9, 203.0.113.10:4711", "203.0.113.10"],
    ["198.51.100.9,203.0.113.10 , 10.3.4.5:99", "203.0.113.10"],
    ["203.0.113.10, [2001:db8:ffff::1]:443, 10.3.4.5", "203.0.113.10"],
    ["203.0.113.10, , ", "203.0.113.10"],
    ["10.9.9.9, 10.3.4.5", "10.9.9.9"],
  ])("%s comes from %s", (header, address) => {
    expect(behind(header)).toBe(address);
  });

  test.each([
    "unknown",
    "_hidden",
    "203.0.113.10.evil.example",
    "localhost",
    "203.0.113.256",
    "203.0.113",
    // Obsolete forms, which programs read differently.
    "0313.0.0161.012",
    "203.0.113.010",
    "0xcb.0.0x71.0xa",
    "3405803786",
    "203.28938",
    "for=203.0.113.10",
    "203.0.113.10:",
    "[203.0.113.10",
    "2001:db8::17::1",
    "null",
    "-",
  ])("%s is nobody's address, and so is what stands before it", (header) => {
    expect(behind(header)).toBeNull();
    expect(behind(`198.51.100.9, ${header}, 10.3.4.5`)).toBeNull();
  });

  test("of a chain that no proxies made only the end is looked at", () => {
    expect(behind(`203.0.113.10, ${"10.3.4.5, ".repeat(1_000)}`)).toBe("10.3.4.5");
  });

  test("nothing that was sent counts where the caller is no trusted proxy, or says nothing", () => {
    expect(ask({ "x-forwarded-for": "203.0.113.10" }, { peer: "198.51.100.1" })).toBe("198.51.100.1");
    expect(ask({})).toBe(PROXY);
    expect(ask({ "x-forwarded-for": " , " })).toBe(PROXY);
    // The header that is not configured could be the visitor's own.
    expect(ask({ forwarded: "for=203.0.113.10" })).toBe(PROXY);
    expect(ask({ "x-forwarded-for": "203.0.113.10" }, { header: "Forwarded" })).toBe(PROXY);
  });
});

describe("TH-6 Forwarded (RFC 7239)", () => {
  test.each([
    // The standard's own examples, sections 4, 6 and 7.
    ['for="_gazonk"', null],
    ['For="[2001:db8:cafe::17]:4711"', "2001:db8:cafe::17"],
    ["for=192.0.2.60;proto=http;by=203.0.113.43", "192.0.2.60"],
    ["for=192.0.2.43, for=198.51.100.17", "198.51.100.17"],
    ['for=192.0.2.43, for="[2001:db8:cafe::17]"', "2001:db8:cafe::17"],
    ["for=192.0.2.43, for=unknown", null],
    ["for=_hidden, for=_SEVKISEK", null],
    ['for=192.0.2.43,for="[2001:db8:cafe::17]",for=unknown', null],
    // As some write it all the same.
    ["for=203.0.113.10:4711;by=10.0.0.1", "203.0.113.10"],
    ["for=[2001:db8::17]:4711", "2001:db8::17"],
    ['for="203.0.113.10:_port"', "203.0.113.10"],
    ["proto=https;FOR=203.0.113.10;host=brina.example", "203.0.113.10"],
    ['for="203.0.113.10" ; proto="a,b;c\\"d"', "203.0.113.10"],
    ["for=203.0.113.10, for=10.3.4.5;secret=x", "203.0.113.10"],
    [", for=203.0.113.10 ,", "203.0.113.10"],
    [";for=203.0.113.10;", "203.0.113.10"],
    // One that says nothing of where from, or says it twice.
    ["for=203.0.113.10, proto=https", null],
    ["for=203.0.113.10;for=198.51.100.1", null],
    // What the visitor begins cannot swallow what the proxy wrote after it.
    ['for="203.0.113.10, for=198.51.100.1', null],
    ["for=203.0.113.10 for=198.51.100.1", null],
    ["203.0.113.10", null],
    ["for==203.0.113.10", null],
    ["", PROXY],
  ])("%s comes from %s", (header, address) => {
    expect(forwarded(header)).toBe(address);
  });

  test("whatever the grammar makes is read: each proxy's address stands in its place", () => {
    const token = fc.stringMatching(/^[!#$%&'*+.^_`|~0-9A-Za-z-]{1,8}$/);
    const quoted = fc
      .string({ unit: "binary-ascii", maxLength: 12 })
      .map((text) => text.replace(/[^\x20-\x7e]/g, ""))
      .map((text) => `"${text.replace(/["\\]/g, "\\$&")}"`);
    const other = fc
      .tuple(token, fc.oneof(token, quoted))
      .filter(([name]) => name.toLowerCase() !== "for")
      .map(([name, value]) => `${name}=${value}`);
    const port = fc.oneof(
      fc.constant(""),
      fc.nat(65_535).map((number) => `:${number}`),
    );
    const node = fc.oneof(
      fc.tuple(fc.ipV4(), port).map(([address, at]) => ({ text: address + at, address })),
      fc.tuple(fc.ipV6(), port).map(([address, at]) => ({ text: `[${address}]${at}`, address })),
      fc.stringMatching(/^_[A-Za-z0-9._-]{1,9}$/).map((text) => ({ text, address: null })),
    );
    const element = fc.tuple(node, fc.array(other, { maxLength: 3 }), fc.constantFrom("for", "For", "FOR"));
    fc.assert(
      fc.property(fc.array(element, { minLength: 1, maxLength: 5 }), (elements) => {
        const header = elements
          .map(([{ text }, others, name]) => [...others, `${name}="${text}"`].join(";"))
          .join(", ");
        const read = readForwarded(header);
        expect(read).toHaveLength(elements.length);
        elements.forEach(([{ address }], place) => expect(read[place] === null).toBe(address === null));
      }),
    );
  });

  test("no text throws, or is read for so long that this test would not end", () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 400 }), (text) => {
        readForwarded(text);
        readForwardedFor(text);
      }),
    );
    for (const piece of [" ", "a", '"', "\\", ",", ";", "=", ":", "[", 'for="', "for=a ", "1:"]) {
      const text = piece.repeat(16_384 / piece.length);
      readForwarded(text);
      readForwardedFor(text);
    }
  });
});
