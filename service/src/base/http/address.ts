/** Reading the address of a request, and the path under which the service lives. */
import type { FastifyRequest } from "fastify";

/** The query's parameters as they came, doubled ones included. */
export function queryOf(request: FastifyRequest): URLSearchParams {
  const mark = request.url.indexOf("?");
  return new URLSearchParams(mark < 0 ? "" : request.url.slice(mark + 1));
}

/** Path of the public address without a slash at the end; empty at the root of a host. */
export function basePathOf(publicUrl: string): string {
  return new URL(publicUrl).pathname.replace(/\/$/, "");
}
