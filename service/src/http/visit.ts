import type { FastifyRequest } from "fastify";
import type { Visit } from "../context.ts";
import { networkOf } from "./network.ts";

const MAX_USER_AGENT_LENGTH = 300;

/** Where a request comes from, in a form that can be stored and shown. */
export function visitOf(request: FastifyRequest): Visit {
  return {
    network: networkOf(request.ip),
    userAgent: printableUserAgent(request.headers["user-agent"]),
    requestId: request.id,
  };
}

/** Header values arrive as Latin-1; everything beyond printable ASCII is shown as a question mark. */
function printableUserAgent(header: string | undefined): string | null {
  if (header === undefined || header === "") return null;
  return header.slice(0, MAX_USER_AGENT_LENGTH).replace(/[^\x20-\x7e]/g, "?");
}
