import type { ProofWanted } from "@lucchetto/contract";
import type { FastifyReply } from "fastify";
import type { TokenDelivery } from "../../base/http/token-delivery.ts";
import type { ServiceContext } from "../../records/context.ts";
import type { PendingSignIn } from "./pending.ts";

/** Hands a sign-in in progress over: its token in a cookie for browsers, in the reply for programs, never both. */
export function deliverPending(
  { signInCookie }: ServiceContext,
  reply: FastifyReply,
  { wanted, expiresAt, token }: PendingSignIn,
  deliver: TokenDelivery["deliver"],
): ProofWanted {
  if (deliver !== "token") void reply.header("set-cookie", signInCookie.write(token));
  return {
    outcome: "proof-wanted",
    wanted: [...wanted],
    expiresAt: expiresAt.toISOString(),
    ...(deliver === "token" ? { token } : {}),
  };
}
