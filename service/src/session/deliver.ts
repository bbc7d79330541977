import type { FastifyReply } from "fastify";
import { showAccount } from "../account/show.ts";
import type { ServiceContext } from "../context.ts";
import { showSession } from "./session.ts";
import type { BegunSession } from "./session.ts";

/** Hands a new own token over: in the cookie for browsers, in the reply for programs, never both. */
export function deliverSession(
  { configuration, ownCookie }: ServiceContext,
  reply: FastifyReply,
  { session, account, token }: BegunSession,
  deliver: "cookie" | "token" | undefined,
) {
  const body = {
    outcome: "signed-in",
    session: showSession(session, true),
    account: showAccount(account),
  } as const;
  if (deliver === "token") return { ...body, token: token as string };
  const seconds = configuration.sessions[session.kind].absolute / 1_000;
  void reply.header(
    "set-cookie",
    ownCookie.write(token, session.kind === "remembered" ? seconds : undefined),
  );
  return body;
}
