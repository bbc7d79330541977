/** How tokens are handed over, and whether there is a browser at the other end that can be known again. */
import type { FastifyRequest } from "fastify";

export interface TokenDelivery {
  readonly deliver: "cookie" | "token";
  /** Whether a browser asks: by itself, or before an app with forms of its own. Programs have no device mark. */
  readonly isBrowser: boolean;
}

/** @param deliver what the call asked for; an app with forms of its own gets tokens in any case. */
export function tokenDeliveryOf(
  { behalf }: Pick<FastifyRequest, "behalf">,
  deliver: "cookie" | "token" | undefined,
): TokenDelivery {
  if (behalf !== null) return { deliver: "token", isBrowser: true };
  return { deliver: deliver ?? "cookie", isBrowser: deliver !== "token" };
}
