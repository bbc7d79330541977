import type { FastifyReply } from "fastify";
import { tellLanguage } from "../../base/http/language.ts";
import { showAccount } from "../../records/account/show.ts";
import type { ServiceContext } from "../../records/context.ts";
import type { BegunSession } from "./session.ts";
import { showSession } from "./session.ts";

/** Hands a new own token over: in the cookie for browsers, as `token` in the reply for programs, never both. */
export function deliverToken(
  { configuration, ownCookie }: ServiceContext,
  reply: FastifyReply,
  { session, token }: Pick<BegunSession, "session" | "token">,
  deliver: "cookie" | "token" | undefined,
): { token?: string } {
  if (deliver === "token") return { token };
  const seconds = configuration.sessions[session.kind].absolute / 1_000;
  void reply.header(
    "set-cookie",
    ownCookie.write(token, session.kind === "remembered" ? seconds : undefined),
  );
  return {};
}

/** The browser's session is over: what it holds of it goes. */
export function clearSessionCookies(
  { configuration, ownCookie, languageCookie, proxyCookie }: ServiceContext,
  reply: FastifyReply,
): void {
  void reply.header("set-cookie", ownCookie.remove());
  tellLanguage(reply, languageCookie, null);
  if (configuration.proxyCheck.clientId !== undefined) void reply.header("set-cookie", proxyCookie.remove());
}

/** The reply to a sign-in, with its token handed over. */
export function deliverSession(
  context: ServiceContext,
  reply: FastifyReply,
  begun: BegunSession,
  deliver: "cookie" | "token" | undefined,
) {
  if (deliver !== "token") tellLanguage(reply, context.languageCookie, begun.account.language);
  return {
    outcome: "signed-in",
    session: showSession(begun.session, { now: context.clock.now(), current: true }),
    account: showAccount(begun.account),
    ...deliverToken(context, reply, begun, deliver),
  } as const;
}
