/**
 * The catalogue of problems: every way in which a call can go wrong, in one list. A caller never invents one on the
 * spot. `title` is the problem in three words, `meaning` says what happened, `remedy` what to do next; both stand on the
 * page that the problem's `type` leads to.
 */

import { PASSKEY_FAULTS } from "./passkey-problems.ts";
import type { ProblemKind } from "./problem-kind.ts";

export type { ProblemKind } from "./problem-kind.ts";

/** Every problem that a call can answer with, by its code (RFC 9457). */
export const PROBLEMS = {
  "malformed-request": {
    status: 400,
    title: "The request could not be read",
    meaning:
      "The body or the address is malformed: invalid JSON, bytes that are not UTF-8, or forbidden member names.",
    remedy: "Send a JSON object in UTF-8 with the members described for this call.",
  },
  "invalid-fields": {
    status: 400,
    title: "Some fields are invalid",
    meaning:
      "The request was read, but at least one field is missing, unknown, or not acceptable. `errors` names each with a sentence.",
    remedy: "Correct the named fields and send the request again. Nothing was stored.",
  },
  "sign-in-refused": {
    status: 401,
    title: "Sign-in failed",
    meaning:
      "The name or the password is wrong. The reply is the same whether the name is unknown or the password is wrong.",
    remedy: "Check both and try again, or register.",
  },
  "app-unknown": {
    status: 401,
    title: "Unknown application",
    meaning:
      "This call is for registered applications. The client id and the app key were not sent as HTTP Basic, or do not match.",
    remedy: "Send Authorization: Basic with the client id and the app key that `lucchetto app add` printed.",
  },
  "step-up-required": {
    status: 401,
    title: "One more step is required",
    meaning:
      "You are signed in, but the application requires a second factor or a more recent proof here (RFC 9470).",
    remedy:
      "Open the page in a browser and follow the steps; a program requests authorization again with the parameters of the challenge.",
  },
  "not-signed-in": {
    status: 401,
    title: "Not signed in",
    meaning:
      "This call needs a session, but came with no token, one that has ended, or one that is not allowed here.",
    remedy: "Sign in and send the request again with the new token.",
  },
  "sign-in-lapsed": {
    status: 401,
    title: "This sign-in has expired",
    meaning:
      "A sign-in may take five minutes (by mail, as long as its link is valid) and works once, in the browser where it started. This one has ended, or none was started here.",
    remedy: "Start over at the sign-in page.",
  },
  "proof-refused": {
    status: 401,
    title: "That was not right",
    meaning: "The code or link is wrong or has already been used. After five wrong ones, the sign-in ends.",
    remedy: "Enter the newest code, or start over at the sign-in page.",
  },
  "account-suspended": {
    status: 403,
    title: "The account is suspended",
    meaning: "The password is right, but an operator has suspended the account.",
    remedy: "Ask the people who run the site.",
  },
  "account-closed": {
    status: 403,
    title: "The account is closed",
    meaning:
      "The password is right, but the account is about to be erased, as its owner requested. Until then this can be cancelled.",
    remedy: "To keep the account, open the link in the mail we sent.",
  },
  "operator-needed": {
    status: 403,
    title: "The password alone is not enough",
    meaning:
      "The password is right, but a new one is required, and there is no second factor or confirmed address to prove who you are. Or it is a first password that an operator set more than seven days ago.",
    remedy: "Ask the people who run the site for a first password.",
  },
  "last-operator": {
    status: 409,
    title: "The last operator must stay",
    meaning: "This change would leave no active operator who can sign in. Nothing was changed.",
    remedy: "Make somebody else an operator first.",
  },
  "second-factor-wanted": {
    status: 403,
    title: "A second factor is required",
    meaning:
      "In production, operators need a session at level 2 to change anything, and this account has no second factor yet.",
    remedy: "Set up an authenticator app or add a passkey on the account page, then send the request again.",
  },
  "password-is-wanted": {
    status: 409,
    title: "The password is still needed",
    meaning:
      "Without it, fewer than two ways into the account would remain (passkeys that verify the person, or a confirmed address).",
    remedy: "Add another passkey or confirm an address first.",
  },
  "password-too-short-alone": {
    status: 409,
    title: "The password would be too short alone",
    meaning:
      "This password was chosen while a second factor was required. Without one it would be the only proof, and it is too short for that.",
    remedy: "Set a longer password first, then remove the second factor.",
  },
  "last-way-in": {
    status: 409,
    title: "The last way to sign in must stay",
    meaning:
      "Without this nothing would be left to open the account with: no password, no other passkey, no confirmed address.",
    remedy: "Set a password, add another passkey or confirm an address first.",
  },
  "auditor-reads-only": {
    status: 403,
    title: "Auditors cannot change anything",
    meaning: "The account has the label `auditor`: it sees what operators see, and cannot change anything.",
    remedy: "Ask an operator to do it.",
  },
  "earlier-proof-required": {
    status: 403,
    title: "Something from before the change is required",
    meaning:
      "The link was opened in a browser the account did not know before the change. Access to the mail alone is not enough to undo it.",
    remedy:
      "Send `present` with the password from before the change, or a code from an authenticator or recovery code from before it. If nothing is left, ask the people who run the site.",
  },
  "wrong-host": {
    status: 421,
    title: "Wrong host",
    meaning:
      "The request names a host that does not belong to this service, as happens if a foreign name is pointed here.",
    remedy:
      "Call the service at its public address, or list an internal name under listen.hosts in lucchetto.yaml.",
  },
  "refused-by-application": {
    status: 403,
    title: "The site does not allow this",
    meaning: "The application was asked first, and refused. `detail` has its explanation.",
    remedy: "Ask the people who run the site.",
  },
  "application-unresponsive": {
    status: 503,
    title: "The site is not responding",
    meaning: "The application must be asked first, but gave no usable answer in time. Nothing was changed.",
    remedy: "Try again a little later. The service's log says what was wrong with the answer.",
  },
  "operators-only": {
    status: 403,
    title: "For operators only",
    meaning: "You are signed in, but your account does not have the label `operator`.",
    remedy: "Sign in with an operator's account.",
  },
  "label-missing": {
    status: 403,
    title: "Not for this account",
    meaning: "You are signed in, but the application requires a label that your account does not have.",
    remedy: "Ask the people who run the site for the label.",
  },
  "foreign-origin": {
    status: 403,
    title: "The request comes from another origin",
    meaning:
      "A browser sent this from a page of another site, or a cookie came without the headers that say where the request comes from.",
    remedy:
      'On a page: open it at the service\'s public address. In a program: send no cookie; use `Authorization: Bearer …` with a token obtained with deliver: "token".',
  },
  "own-password-not-taken": {
    status: 403,
    title: "Passwords are not accepted here",
    meaning:
      "The application asked to check a person's own password, but is not registered for that. Nothing was checked.",
    remedy:
      "Create an access key on the account page and send it instead of the password, or register the application with --basic-passwords.",
  },
  "right-missing": {
    status: 403,
    title: "The application is not allowed to do this",
    meaning: "This call requires a right that the application does not have.",
    remedy: "For its developer: give it the right with `lucchetto app change CLIENT-ID --rights accounts`.",
  },
  "own-forms-needed": {
    status: 403,
    title: "The session was not begun in a form of this application",
    meaning:
      "Only an app with forms of its own gets a check token this way, and only for sessions that were begun in them.",
    remedy:
      "For its developer: send the headers of own forms along, or let people sign in through the authorization endpoint.",
  },
  "account-of-operators": {
    status: 403,
    title: "An operator's account",
    meaning:
      "The account has a built-in label (operator or auditor), so no application can change, suspend or invite it.",
    remedy: "An operator can do it, in the console or with `lucchetto account`.",
  },
  "suspended-by-operator": {
    status: 403,
    title: "Suspended by an operator",
    meaning: "An operator suspended this account, so no application can restore it.",
    remedy: "An operator can do it, in the console or with `lucchetto account restore`.",
  },
  "proxies-only": {
    status: 403,
    title: "For reverse proxies only",
    meaning: "This call is for reverse proxies, and the caller is not listed in the configuration.",
    remedy: "Add the proxy's address to proxyCheck.proxies in lucchetto.yaml.",
  },
  "not-found": {
    status: 404,
    title: "Not found",
    meaning: "There is nothing at this address, or it is not yours.",
    remedy: "Check the address and the id.",
  },
  "mail-missing": {
    status: 503,
    title: "This site sends no mail",
    meaning: "This service has no way to send mail, so nobody can be sent a link.",
    remedy: "Ask the people who run the site for a new password.",
  },
  "email-unverified": {
    status: 403,
    title: "The address is not confirmed yet",
    meaning: "The password is right, but the e-mail address has not been confirmed yet.",
    remedy: "Open the link in the mail that was sent when you registered, or have it sent again.",
  },
  reauthenticate: {
    status: 403,
    title: "Confirm that it is you",
    meaning: "This change needs a proof from within the last ten minutes.",
    remedy:
      "Call POST /v1/session/reauthenticate with the password, and the second factor if there is one; then send the request again.",
  },
  "enrolment-lapsed": {
    status: 409,
    title: "Started too long ago",
    meaning: "An authenticator app has to be confirmed within fifteen minutes. Nothing has changed.",
    remedy: "Start over with a new QR code.",
  },
  "second-factor-missing": {
    status: 409,
    title: "There is no second factor",
    meaning: "Recovery codes replace an authenticator app or a passkey, and the account has neither.",
    remedy: "Set one up first; the codes come with it.",
  },
  "keys-missing": {
    status: 503,
    title: "There is no key ring",
    meaning:
      "The secrets of authenticator apps are encrypted with the key ring, but this service has none, so nobody could read them after a restart.",
    remedy: "Create one with `lucchetto keys add`, set keys.file in lucchetto.yaml, and restart the service.",
  },
  "password-wanted": {
    status: 403,
    title: "A password is required",
    meaning:
      "The link was opened in a different browser than the one that registered. Confirm the address with the password from the registration, or with a new one, which removes whatever was set up before.",
    remedy: "Send `present` with the password from the registration, or `password` with a new one.",
  },
  "mail-gone": {
    status: 409,
    title: "This mail cannot be sent again",
    meaning: "It was sent, collected or held back, or is being sent right now.",
    remedy: "Ask for a new one.",
  },
  "address-taken": {
    status: 409,
    title: "The address belongs to another account",
    meaning: "Another account has taken this address or username since the link was sent.",
    remedy: "Ask the people who run the site, or register with another one.",
  },
  "link-unknown": {
    status: 404,
    title: "This link is not valid",
    meaning:
      "No such link was sent, or it belongs to an address that the account no longer has. Part of it may be missing.",
    remedy: "Open the whole link from the mail, or ask for a new one.",
  },
  "link-used": {
    status: 410,
    title: "This link has already been used",
    meaning: "A mailed link works only once.",
    remedy: "Sign in, or ask for a new link.",
  },
  "link-superseded": {
    status: 410,
    title: "There is a newer link",
    meaning:
      "You asked again after this link was sent, or the password was reset meanwhile; only the newest one works.",
    remedy: "Open the newest mail, or ask for a new link.",
  },
  "link-expired": {
    status: 410,
    title: "This link has expired",
    meaning: "A mailed link works for a limited time, and that time is over.",
    remedy: "Ask for a new link; it takes a minute.",
  },
  "method-not-allowed": {
    status: 405,
    title: "Method not allowed",
    meaning: "The address exists, but not for this method. The Allow header lists the methods it accepts.",
    remedy: "Use one of the listed methods.",
  },
  "request-timeout": {
    status: 408,
    title: "The request took too long to arrive",
    meaning: "The whole request must arrive within a few seconds.",
    remedy: "Send it again without pauses.",
  },
  "identifier-taken": {
    status: 409,
    title: "Already in use",
    meaning: "Another account has this e-mail address or username. `errors` says which.",
    remedy: "Choose another, or sign in if the account is yours.",
  },
  "body-too-large": {
    status: 413,
    title: "The request is too large",
    meaning: "A body may have 64 KiB at most.",
    remedy: "Send less.",
  },
  "address-too-long": {
    status: 414,
    title: "The address is too long",
    meaning: "A part of the address is too long to be valid.",
    remedy: "Check the address.",
  },
  "unsupported-media-type": {
    status: 415,
    title: "Unsupported kind of body",
    meaning:
      "Calls under /v1 accept application/json; the endpoints under /oauth accept application/x-www-form-urlencoded.",
    remedy: "Set the Content-Type header accordingly.",
  },
  throttled: {
    status: 429,
    title: "Too many attempts",
    meaning:
      "There were too many failed attempts for this name or from this network, or too many requests from it at once. Nothing was checked.",
    remedy:
      "Wait the seconds in Retry-After, then try again. The reply is the same whether the name is known or not.",
  },
  "headers-too-large": {
    status: 431,
    title: "The headers are too large",
    meaning: "All headers together may have 16 KiB at most.",
    remedy: "Clear the cookies of this host and try again.",
  },
  "internal-error": {
    status: 500,
    title: "Something went wrong",
    meaning: "The service encountered an internal error. Its log has the details under the request id.",
    remedy: "Try again. If it keeps happening, give the request id to the people who run the site.",
  },
  "too-busy": {
    status: 503,
    title: "Too busy right now",
    meaning: "More people are signing in right now than the service can handle. Nothing was checked.",
    remedy: "Try again after the seconds in Retry-After.",
  },
  "storage-unavailable": {
    status: 503,
    title: "The database cannot be reached",
    meaning:
      "The service is running, but its database is unavailable or cannot store anything right now. Nothing was changed.",
    remedy: "Try again in a moment; the service recovers by itself when the database is back.",
  },
  "application-not-set-up": {
    status: 503,
    title: "The application is not set up",
    meaning:
      "The application's client id or app key is not known to the service, so it cannot ask who somebody is.",
    remedy:
      "Set the client id and the key as `lucchetto app add` printed them, or make a new key with `lucchetto app new-key`.",
  },
  stopping: {
    status: 503,
    title: "The service is stopping",
    meaning: "This instance is shutting down. It finishes the requests in progress and accepts no new ones.",
    remedy: "Send requests to another instance, or to this one after its restart.",
  },
  "unknown-app": {
    status: 400,
    title: "This application is not registered",
    meaning:
      "The address that led here names no application known to this service, so there is nowhere to return to.",
    remedy: "For its developer: `lucchetto app list` shows the client ids.",
  },
  "unregistered-return-address": {
    status: 400,
    title: "The return address is not registered",
    meaning: "The application gave a return address that does not exactly match a registered one.",
    remedy:
      "For its developer: register the address (lucchetto app change CLIENT-ID --redirect-uri ADDRESS), or send the registered one.",
  },
  ...PASSKEY_FAULTS,
} as const satisfies Record<string, ProblemKind>;

/** Those of an authenticator's answer. */
export const PASSKEY_PROBLEMS = Object.keys(PASSKEY_FAULTS) as Array<keyof typeof PASSKEY_FAULTS>;

/** The slug of a problem, to switch on. */
export type ProblemCode = keyof typeof PROBLEMS;

/** Path of the page that explains a problem, below the public address. */
export function problemPath(code: ProblemCode): string {
  return `/problems/${code}`;
}
