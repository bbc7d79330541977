/**
 * Requests that change something must come from Lucchetto's own pages, or from a program.
 *
 * Browsers say where a request comes from: `Origin` on every unsafe method, `Sec-Fetch-Site` besides. A request that
 * carries the own cookie and neither header is refused too; programs use a Bearer token and no cookie.
 */
import type { FastifyRequest } from "fastify";
import { ProblemReply } from "../problem.ts";
import type { HostCookie } from "./host-cookie.ts";

const SAFE_METHODS = new Set(["GET", "HEAD", "OPTIONS"]);

/** @throws ProblemReply `foreign-origin`. */
export function assertOwnOrigin(
  request: FastifyRequest,
  publicUrl: string,
  cookies: readonly HostCookie[],
): void {
  if (SAFE_METHODS.has(request.method)) return;
  const ownOrigin = new URL(publicUrl).origin;
  const { origin, "sec-fetch-site": site } = request.headers;
  if (origin !== undefined) {
    if (origin === ownOrigin) return;
    throw refusal(
      `The request says that it comes from ${describeOrigin(origin)}; only ${ownOrigin} may send it.`,
    );
  }
  if (site !== undefined) {
    if (site === "same-origin") return;
    throw refusal(
      `The browser says that the request comes from elsewhere; only pages of ${ownOrigin} may send it.`,
    );
  }
  if (cookies.every((cookie) => cookie.read(request.headers.cookie) === undefined)) return;
  throw refusal(
    'A cookie came with neither Origin nor Sec-Fetch-Site. In a program, send no cookie but "Authorization: Bearer" with a token asked for with deliver: "token".',
  );
}

function refusal(detail: string): ProblemReply {
  return new ProblemReply("foreign-origin", { detail });
}

/** An origin as it came, if it is one; anything else is not repeated. */
function describeOrigin(origin: string): string {
  return URL.canParse(origin) ? new URL(origin).origin : "another origin";
}
