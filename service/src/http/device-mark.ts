/** The mark by which a browser is known again: random, and no proof of anything. */
import { randomBytes } from "node:crypto";
import { hashToken, mintToken, TOKEN_BYTES } from "@lucchetto/core";
import type { FastifyRequest } from "fastify";
import type { ServiceContext } from "../context.ts";
import { LONGEST_MAX_AGE } from "./host-cookie.ts";

export interface BrowserMark {
  readonly mark: string;
  /** Set-Cookie for a mark that is new. */
  readonly setCookie: string | null;
}

/** The mark that a browser brought along; else a new one, which it keeps from now on. */
export function browserMarkOf(
  { deviceCookie }: Pick<ServiceContext, "deviceCookie">,
  request: FastifyRequest,
): BrowserMark {
  const brought = deviceCookie.read(request.headers.cookie);
  if (brought !== undefined && hashToken("device-mark", brought) !== null)
    return { mark: brought, setCookie: null };
  const { plain } = mintToken("device-mark", randomBytes(TOKEN_BYTES));
  return { mark: plain, setCookie: deviceCookie.write(plain, LONGEST_MAX_AGE) };
}
