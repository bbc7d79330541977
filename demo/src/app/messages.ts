/** One-time messages: set before a redirect, shown once on the page after it. */
import type { FastifyReply, FastifyRequest } from "fastify";
import type { Texts } from "./texts.ts";

export type MessageName = keyof Texts["messages"];

const COOKIE = "brina-message";

/** The cookie holds a name from a list, never text, so that nobody can put words into the page. */
export function leaveMessage(reply: FastifyReply, name: MessageName): void {
  void reply.header("set-cookie", `${COOKIE}=${name}; Path=/; HttpOnly; SameSite=Lax; Max-Age=60`);
}

/** The message left for this browser, which is gone after this. */
export function takeMessage(
  request: FastifyRequest,
  reply: FastifyReply,
  { messages }: Texts,
): string | null {
  const match = new RegExp(`(?:^|; )${COOKIE}=([a-z-]+)`).exec(request.headers.cookie ?? "");
  const name = match?.[1];
  if (name === undefined || !Object.hasOwn(messages, name)) return null;
  void reply.header("set-cookie", `${COOKIE}=; Path=/; HttpOnly; SameSite=Lax; Max-Age=0`);
  return messages[name as MessageName];
}
