/** In which language people's pages come: their account's, which its browsers are told; else the browser's; else the site's. */
import { knownLanguage, languageAskedFor } from "@lucchetto/contract/language";
import type { Language } from "@lucchetto/core";
import type { FastifyReply, FastifyRequest } from "fastify";
import type { HostCookie } from "./host-cookie.ts";
import { MAX_AGE_SECONDS } from "./host-cookie.ts";

/** @param site the site's own language, where the browser names none of ours. */
export function languageOf({ headers }: FastifyRequest, cookie: HostCookie, site: Language): Language {
  return knownLanguage(cookie.read(headers.cookie)) ?? languageAskedFor(headers["accept-language"]) ?? site;
}

/** Tells a browser the language of the account that it is signed in to; `null` takes that back. */
export function tellLanguage(reply: FastifyReply, cookie: HostCookie, language: Language | null): void {
  if (language !== null) void reply.header("set-cookie", cookie.write(language, MAX_AGE_SECONDS));
  else if (cookie.read(reply.request.headers.cookie) !== undefined)
    void reply.header("set-cookie", cookie.remove());
}
