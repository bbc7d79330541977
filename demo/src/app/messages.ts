/** One-time messages: set before a redirect, shown once on the page after it. */
import type { FastifyReply, FastifyRequest } from "fastify";

const MESSAGES = {
  "signed-out": "You are signed out.",
  welcome: "You are signed in.",
  invited: "The invitation is on its way.",
  suspended: "Suspended; every session of theirs has ended.",
  restored: "Restored; they can sign in again.",
  keeper: "Keeps a hut from now on.",
  "no-keeper": "Keeps no hut any more.",
} as const;

export type MessageName = keyof typeof MESSAGES;

const COOKIE = "brina-message";

/** The cookie holds a name from the list above, never text, so that nobody can put words into the page. */
export function leaveMessage(reply: FastifyReply, name: MessageName): void {
  void reply.header("set-cookie", `${COOKIE}=${name}; Path=/; HttpOnly; SameSite=Lax; Max-Age=60`);
}

/** The message left for this browser, which is gone after this. */
export function takeMessage(request: FastifyRequest, reply: FastifyReply): string | null {
  const match = new RegExp(`(?:^|; )${COOKIE}=([a-z-]+)`).exec(request.headers.cookie ?? "");
  const name = match?.[1];
  if (name === undefined || !Object.hasOwn(MESSAGES, name)) return null;
  void reply.header("set-cookie", `${COOKIE}=; Path=/; HttpOnly; SameSite=Lax; Max-Age=0`);
  return MESSAGES[name as MessageName];
}
