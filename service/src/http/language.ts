/** In which language people's pages come: their account's, which its browsers are told; else the browser's; else the site's. */
import { MAIL_LANGUAGES } from "@lucchetto/contract";
import type { Language } from "@lucchetto/core";
import type { FastifyReply, FastifyRequest } from "fastify";
import Negotiator from "negotiator";
import type { HostCookie } from "./host-cookie.ts";
import { MAX_AGE_SECONDS } from "./host-cookie.ts";

/** @param site the site's own language, where the browser names none of ours. */
export function languageOf({ headers }: FastifyRequest, cookie: HostCookie, site: Language): Language {
  const told = cookie.read(headers.cookie);
  // Without the header any language will do (RFC 9110 section 12.5.4), and the site's is taken.
  const liked = headers["accept-language"] === undefined ? [] : new Negotiator({ headers }).languages();
  // Regions are of no matter: `it-CH` is Italian.
  const wanted = [told, ...liked.map((tag) => tag.split("-", 1)[0]?.toLowerCase())];
  return wanted.map((one) => MAIL_LANGUAGES.find((known) => known === one)).find((one) => one) ?? site;
}

/** Tells a browser the language of the account that it is signed in to; `null` takes that back. */
export function tellLanguage(reply: FastifyReply, cookie: HostCookie, language: Language | null): void {
  if (language !== null) void reply.header("set-cookie", cookie.write(language, MAX_AGE_SECONDS));
  else if (cookie.read(reply.request.headers.cookie) !== undefined)
    void reply.header("set-cookie", cookie.remove());
}
