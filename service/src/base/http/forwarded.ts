/**
 * Who a request comes from when proxies stand between: each writes, at the end of a header, from whom it has the request. They are
 * read from the end, as far as the proxies are trusted; what stands before could be anybody's. Balancers write more than addresses
 * (ports, brackets, zones, names of their own); what cannot be read is nobody's address, which the limits count as one.
 */
import type { IncomingMessage } from "node:http";
import type { FastifyBaseLogger, FastifyInstance } from "fastify";
import type { Configuration } from "../config/index.ts";
import { ProblemReply } from "../problem.ts";
import { isLoopbackAddress, listedAmong, readAddress } from "./network.ts";

declare module "fastify" {
  interface FastifyRequest {
    /** Address of the visitor's machine; `null` where nobody says it so that it can be read. */
    readonly clientAddress: string | null;
  }
}

type Settings = Pick<Configuration, "trustedProxies" | "forwardedHeader">;

/** Proxies one after the other; whatever a header says beyond that was not written by any. */
const MAX_HOPS = 32;

/** A name and its value, up to what ends it: `;` one more pair of the same proxy, `,` another proxy (RFC 7239 section 4). */
const PAIR = /[ \t]*(?:([\w!#$%&'*+.^`|~-]+)=(?:"((?:[^"\\]|\\.)*)"|([^\s",;]*))[ \t]*)?([;,]|$)/y;

/**
 * Reads `Forwarded` (RFC 7239).
 * @returns the addresses, one for each proxy, the nearest last; `null` in place of one that is hidden, missing or no address.
 * What is no such header at all is one that cannot be read.
 */
export function readForwarded(header: string): Array<string | null> {
  const hops: Array<string | null> = [];
  let nodes: string[] = [];
  let isEmpty = true;
  PAIR.lastIndex = 0;
  for (;;) {
    const pair = PAIR.exec(header);
    if (pair === null) return [null];
    const [, name, quoted, plain, end] = pair;
    if (name !== undefined) isEmpty = false;
    if (name?.toLowerCase() === "for") nodes.push(quoted?.replace(/\\(.)/g, "$1") ?? plain ?? "");
    if (end === ";") continue;
    // An empty member of a list is none (RFC 9110 section 5.6.1).
    if (!isEmpty) hops.push(nodes.length === 1 ? readNode(nodes[0] ?? "") : null);
    nodes = [];
    isEmpty = true;
    if (end !== ",") return hops.slice(-MAX_HOPS);
  }
}

/** Reads `X-Forwarded-For`, which has no standard: addresses between commas. @returns as `readForwarded`. */
export function readForwardedFor(header: string): Array<string | null> {
  return header
    .split(",")
    .map((text) => text.trim())
    .filter((text) => text !== "")
    .slice(-MAX_HOPS)
    .map((text) => readNode(/^"(.*)"$/.exec(text)?.[1] ?? text));
}

/** An address with or without a port, in brackets or not (RFC 7239 section 6, and what balancers write). */
function readNode(text: string): string | null {
  const inBrackets = /^\[([^\]]*)\](?::[\w.-]+)?$/.exec(text)?.[1];
  if (inBrackets !== undefined) return readAddress(inBrackets);
  return readAddress(text) ?? readAddress(text.replace(/:[\w.-]+$/, ""));
}

/** @returns the address of whoever is in front of the trusted proxies; `null` if it cannot be read. */
export function clientAddressOf(
  { headers, socket }: Pick<IncomingMessage, "headers" | "socket">,
  { trustedProxies, forwardedHeader }: Settings,
): string | null {
  let address = readAddress(socket.remoteAddress ?? "");
  if (trustedProxies.length === 0) return address;
  const hops =
    forwardedHeader === "Forwarded"
      ? readForwarded(headers.forwarded ?? "")
      : readForwardedFor(String(headers["x-forwarded-for"] ?? ""));
  for (const hop of hops.reverse()) {
    if (address === null || !listedAmong(trustedProxies, address)) return address;
    address = hop;
  }
  return address;
}

/**
 * Calls of development are for this machine: a proxy before it that says so of a visitor from elsewhere is believed, trusted or not.
 * @throws ProblemReply `wrong-host`.
 */
export function assertFromThisMachine({ headers }: Pick<IncomingMessage, "headers">): void {
  const hops = [
    ...readForwarded(headers.forwarded ?? ""),
    ...readForwardedFor(String(headers["x-forwarded-for"] ?? "")),
  ];
  if (!hops.every((hop) => hop !== null && isLoopbackAddress(hop)))
    throw new ProblemReply("wrong-host", {
      detail:
        "This call exists in development, for this machine alone; a proxy says that the request comes from another one (X-Forwarded-For, Forwarded). To be reached by others, run in production mode.",
    });
}

/** Requests know where they come from. A proxy that writes the other header alone is logged once: all its visitors would be one. */
export function readClientAddresses(app: FastifyInstance, settings: Settings): void {
  let isTold = settings.trustedProxies.length === 0;
  app.decorateRequest("clientAddress", {
    getter() {
      isTold ||= tellOfOtherHeader(this.raw, settings, app.log);
      return clientAddressOf(this.raw, settings);
    },
  });
}

/** @returns whether there was something to tell. */
function tellOfOtherHeader(
  { headers, socket: { remoteAddress = "" } }: IncomingMessage,
  { forwardedHeader, trustedProxies }: Settings,
  log: FastifyBaseLogger,
): boolean {
  const other = forwardedHeader === "Forwarded" ? "X-Forwarded-For" : "Forwarded";
  const isOther =
    headers[forwardedHeader.toLowerCase()] === undefined && headers[other.toLowerCase()] !== undefined;
  if (!isOther || !listedAmong(trustedProxies, remoteAddress)) return false;
  log.warn(
    { proxy: remoteAddress },
    `the proxy sends ${other} and no ${forwardedHeader}: all its visitors share the limits of one network. If it is the proxy that writes this header, set forwardedHeader: ${other}`,
  );
  return true;
}
