import type { FastifyRequest } from "fastify";
import { networkOf } from "../../base/http/network.ts";
import type { RequestOrigin } from "../context.ts";

const MAX_USER_AGENT_LENGTH = 300;

/** Where a request comes from, in a form that can be stored and shown. */
export function visitOf(request: FastifyRequest): RequestOrigin {
  const { behalf } = request;
  const visitor =
    behalf === null
      ? visitorOf(request.clientAddress, request.headers["user-agent"])
      : visitorOf(behalf.address, behalf.userAgent);
  return {
    ...visitor,
    requestId: request.id,
    appId: behalf?.appId ?? null,
  };
}

/** Somebody before an app that calls for them. */
export function visitorOf(
  address: string | null,
  userAgent: string | undefined,
): Pick<RequestOrigin, "network" | "userAgent"> {
  return { network: address === null ? null : networkOf(address), userAgent: printableUserAgent(userAgent) };
}

/** Header values arrive as Latin-1; everything beyond printable ASCII is shown as a question mark. */
function printableUserAgent(header: string | undefined): string | null {
  if (header === undefined || header === "") return null;
  return header.slice(0, MAX_USER_AGENT_LENGTH).replace(/[^\x20-\x7e]/g, "?");
}
