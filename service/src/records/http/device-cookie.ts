/** The mark by which a browser is known again: random, and no proof of anything. */
import { randomBytes } from "node:crypto";
import { hashToken, mintToken, TOKEN_BYTES } from "@lucchetto/core";
import type { FastifyReply, FastifyRequest } from "fastify";
import { MAX_AGE_SECONDS } from "../../base/http/host-cookie.ts";
import type { ServiceContext } from "../context.ts";
import { BEHALF_HEADERS } from "./delegation.ts";

interface BrowserMark {
  readonly mark: string;
  /** Whether it is yet to be handed over. */
  readonly isNew: boolean;
}

/** The known-device mark that came along: in the browser's cookie, or from the app that calls for a visitor. */
export function readDeviceMark(
  { deviceCookie }: Pick<ServiceContext, "deviceCookie">,
  { behalf, headers }: FastifyRequest,
): string | undefined {
  return behalf === null ? deviceCookie.read(headers.cookie) : behalf.mark;
}

/** Hands a mark over, to be brought along from now on. */
export function setDeviceCookie(
  { deviceCookie }: Pick<ServiceContext, "deviceCookie">,
  { request, reply }: { request: FastifyRequest; reply: FastifyReply },
  mark: string,
): void {
  if (request.behalf === null) void reply.header("set-cookie", deviceCookie.write(mark, MAX_AGE_SECONDS));
  else void reply.header(BEHALF_HEADERS.device, mark);
}

/** The mark that a browser brought along; else a new one, which it keeps from now on. */
export function browserMarkOf(
  context: Pick<ServiceContext, "deviceCookie">,
  request: FastifyRequest,
): BrowserMark {
  const brought = readDeviceMark(context, request);
  if (brought !== undefined && hashToken("device-mark", brought) !== null)
    return { mark: brought, isNew: false };
  const { plain } = mintToken("device-mark", randomBytes(TOKEN_BYTES));
  return { mark: plain, isNew: true };
}
