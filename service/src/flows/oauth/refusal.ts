/** Refusals in the standards' own form (RFC 6749 section 5.2). */
import type { OAuthError } from "@lucchetto/contract";
import type { FastifyReply } from "fastify";

type OAuthErrorCode =
  | "invalid_request"
  | "invalid_client"
  | "invalid_grant"
  | "unsupported_grant_type"
  | "unsupported_response_type"
  | "login_required"
  /** OpenID: the app asks for what the account cannot meet. */
  | "unmet_authentication_requirements";

/** Thrown to answer with an error of RFC 6749. */
export class OAuthRefusal extends Error {
  override readonly name = "OAuthRefusal";
  readonly code: OAuthErrorCode;
  constructor(code: OAuthErrorCode, description: string) {
    super(description);
    this.code = code;
  }
}

/** Sends it; an unknown client gets a challenge. */
export function sendRefusal(reply: FastifyReply, refusal: OAuthRefusal, publicUrl: string): FastifyReply {
  const unauthenticated = refusal.code === "invalid_client";
  if (unauthenticated) void reply.header("www-authenticate", `Basic realm="${publicUrl}", charset="UTF-8"`);
  const body: OAuthError = { error: refusal.code, error_description: refusal.message };
  return reply
    .status(unauthenticated ? 401 : 400)
    .headers({ "cache-control": "no-store", pragma: "no-cache" })
    .type("application/json; charset=utf-8")
    .send(JSON.stringify(body));
}
