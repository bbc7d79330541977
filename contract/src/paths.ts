/** Addresses that are no calls of the contract, and those of the pages. */

/** The pages that need nothing beyond what every page has. */
export const PLAIN_PAGES = [
  "/forgot",
  "/link",
  "/account",
  "/account/details",
  "/account/password",
  "/account/email",
  "/account/sessions",
  "/account/erase",
  "/account/access-keys",
  "/account/passkeys",
  "/docs",
] as const;

/** The pages on which the application that sent the person is named. */
export const VISITED_PAGES = [
  "/sign-in",
  "/register",
  "/account/reauthenticate",
  "/account/second-factor",
] as const;

/** In development alone, for anybody on loopback. */
export const MAILBOX_PAGE = "/mailbox";

/** Leads on to an application: `client_id` says to which, `target_link_uri` to which page of it. */
export const CONTINUE_PATH = "/continue";

/** Where an application sends people to sign out. */
export const SIGN_OUT_PAGE = "/sign-out";

/** Every people's page. */
export type PagePath =
  | (typeof PLAIN_PAGES)[number]
  | (typeof VISITED_PAGES)[number]
  | typeof MAILBOX_PAGE
  | typeof SIGN_OUT_PAGE;

/** The data block's element id in the page. */
export const PAGE_STATE_ELEMENT = "page-state";

/**
 * The path of a browser's stream of events (`text/event-stream`): `ended` when its session has ended. 204 to whoever is
 * not signed in.
 */
export const SESSION_EVENTS_PATH = "/v1/session/events";

/** Path of a mail's HTML as a page of its own, in development. */
export function mailHtmlPath(mailId: string): string {
  return `/mailbox/${mailId}.html`;
}
