/** The languages that pages and mails come in, and which of them a browser asks for. */
import Negotiator from "negotiator";
import { MAIL_LANGUAGES } from "./routes/people/account.ts";

export type Language = (typeof MAIL_LANGUAGES)[number];

/** A text as one of the languages; `null` if it is none. */
export function knownLanguage(text: string | undefined): Language | null {
  return MAIL_LANGUAGES.find((known) => known === text) ?? null;
}

/**
 * The language that a browser would rather have than the others.
 * @param header its Accept-Language (RFC 9110 section 12.5.4). @returns `null`: it names none of ours.
 */
export function languageAskedFor(header: string | undefined): Language | null {
  // A negotiator would say of no header that any language will do.
  if (header === undefined) return null;
  for (const tag of new Negotiator({ headers: { "accept-language": header } }).languages()) {
    // Regions are of no matter: `it-CH` is Italian.
    const known = knownLanguage(tag.split("-", 1)[0]?.toLowerCase());
    if (known !== null) return known;
  }
  return null;
}
