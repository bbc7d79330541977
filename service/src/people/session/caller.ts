/** Who calls, by the own token that came. */
import type { FastifyRequest } from "fastify";
import { readBearer } from "../../base/http/bearer.ts";
import type { ServiceContext } from "../../records/context.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { recogniseOwnToken } from "./session.ts";

/** The living session of the own token that came: in the Authorization header of programs, else in the cookie. */
export async function readCaller(
  context: ServiceContext,
  request: FastifyRequest,
): Promise<LiveSession | null> {
  const { authorization, cookie } = request.headers;
  if (authorization === undefined) {
    const token = context.ownCookie.read(cookie);
    return token === undefined ? null : recogniseOwnToken(context, token, null);
  }
  const token = readBearer(authorization);
  return token === undefined ? null : recogniseOwnToken(context, token, request.behalf?.appId ?? null);
}
