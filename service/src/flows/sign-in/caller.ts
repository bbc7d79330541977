/** Which sign-in in progress a request goes on with, by the token that came. */
import type { FastifyRequest } from "fastify";
import { readBearer } from "../../base/http/bearer.ts";
import type { SignInRow } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import { visitOf } from "../../records/http/visit.ts";
import { findPending } from "./pending.ts";

/** In the Authorization header of programs, else in the cookie. */
export function readSignIn(context: ServiceContext, request: FastifyRequest): Promise<SignInRow | null> {
  return findPending(context, signInTokenOf(context, request), visitOf(request));
}

/** The token, whatever it is worth. */
export function signInTokenOf(
  { signInCookie }: Pick<ServiceContext, "signInCookie">,
  { headers }: Pick<FastifyRequest, "headers">,
): string | undefined {
  return readBearer(headers.authorization) ?? signInCookie.read(headers.cookie);
}
