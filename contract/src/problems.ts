/**
 * The catalogue of problems: every way in which a call can go wrong, in one list. A caller never invents one on the
 * spot. `title` is the problem in three words, `meaning` says what happened, `mend` what to do next; both stand on the
 * page that the problem's `type` leads to.
 */

import { PASSKEY_FAULTS } from "./passkey-problems.ts";
import type { ProblemKind } from "./problem-kind.ts";

export type { ProblemKind } from "./problem-kind.ts";

export const PROBLEMS = {
  "malformed-request": {
    status: 400,
    title: "The request could not be read",
    meaning:
      "The body or the address is not what it claims to be: broken JSON, bytes that are not UTF-8, or member names that no request has.",
    mend: "Send a JSON object in UTF-8 with the members that the description of the call names.",
  },
  "invalid-fields": {
    status: 400,
    title: "Some fields are invalid",
    meaning:
      "The request was read, but at least one field is missing, unknown, or not acceptable. `errors` names each with a sentence.",
    mend: "Correct the named fields and send the request again. Nothing was stored.",
  },
  "sign-in-refused": {
    status: 401,
    title: "Sign-in failed",
    meaning:
      "The name and the password do not belong together. The reply is the same whether the name is unknown or the password wrong.",
    mend: "Check both and try again, or register.",
  },
  "app-unknown": {
    status: 401,
    title: "Unknown application",
    meaning:
      "This call is for registered applications. The client id and the app key did not come as HTTP Basic, or do not belong together.",
    mend: "Send Authorization: Basic with the client id and the app key that `lucchetto app add` printed.",
  },
  "step-wanted": {
    status: 401,
    title: "One more step is required",
    meaning:
      "You are signed in, but the application asks here for a second factor, or for a proof that was shown a short while ago (RFC 9470).",
    mend: "Open the page in a browser and show what is asked for; a program asks for authorization again with the parameters of the challenge.",
  },
  "not-signed-in": {
    status: 401,
    title: "Not signed in",
    meaning:
      "The call needs a session, and none came with it: no token, one that has ended, or one that cannot act here.",
    mend: "Sign in and send the request again with the new token.",
  },
  "sign-in-lapsed": {
    status: 401,
    title: "This sign-in has expired",
    meaning:
      "A sign-in may take five minutes (by mail, as long as its link lives), works in the browser it was begun in, and once. This one is over, or none was begun here.",
    mend: "Start over at the sign-in page.",
  },
  "proof-refused": {
    status: 401,
    title: "That was not right",
    meaning:
      "The code or link does not belong to what was begun here, or was used already. Five that do not fit end a sign-in.",
    mend: "Enter the newest code, or start over at the sign-in page.",
  },
  "account-suspended": {
    status: 403,
    title: "The account is suspended",
    meaning: "The password is right, but an operator has suspended the account.",
    mend: "Ask the people who run the site.",
  },
  "account-closed": {
    status: 403,
    title: "The account is closed",
    meaning:
      "The password is right, but the account is being erased, as was asked for in it. Until its rows go it can be stopped.",
    mend: "To keep the account, open the link in the mail that told of it.",
  },
  "operator-needed": {
    status: 403,
    title: "The password alone is not enough",
    meaning:
      "The password is right, but a new one is wanted, and there is no second factor and no confirmed address by which the account could be proved. Or an operator gave it as a first password, more than seven days ago.",
    mend: "Ask the people who run the site for a first password.",
  },
  "last-operator": {
    status: 409,
    title: "The last operator must stay",
    meaning:
      "After this change nobody would be left who is an operator, active, and able to sign in. Nothing was changed.",
    mend: "Make somebody else an operator first.",
  },
  "second-factor-wanted": {
    status: 403,
    title: "A second factor is required",
    meaning:
      "In production operators change things only in a session at level 2, and this account has no second factor yet.",
    mend: "Set up an authenticator app or add a passkey on the account page, then send the request again.",
  },
  "password-is-wanted": {
    status: 409,
    title: "The password is still needed",
    meaning:
      "Without it fewer than two ways into the account would be left: passkeys that verify who holds them, and a confirmed address.",
    mend: "Add another passkey or confirm an address first.",
  },
  "password-too-short-alone": {
    status: 409,
    title: "The password would be too short alone",
    meaning:
      "The password was chosen where a second factor stands beside it. Without one it would be the only proof, and it is too short for that.",
    mend: "Set a longer password first, then remove the second factor.",
  },
  "last-way-in": {
    status: 409,
    title: "The last way to sign in must stay",
    meaning:
      "Without this nothing would be left by which the account could be opened: no password, no other passkey, no confirmed address.",
    mend: "Set a password, add another passkey or confirm an address first.",
  },
  "auditor-reads-only": {
    status: 403,
    title: "Auditors cannot change anything",
    meaning: "The account has the label `auditor`: it sees what operators see, and cannot change anything.",
    mend: "Ask an operator to do it.",
  },
  "thing-from-before-wanted": {
    status: 403,
    title: "Something from before the change is required",
    meaning:
      "The link was opened in a browser that the account did not know before the change. Whoever only reads the mail undoes nothing.",
    mend: "Send `present` with the password that stood before the change, or a proof of an authenticator or recovery code from before it. If nothing is left, ask the people who run the site.",
  },
  "wrong-host": {
    status: 421,
    title: "Wrong host",
    meaning:
      "The request names a host that is none of this service's, as happens when a foreign name is made to lead here.",
    mend: "Call the service at its public address. An internal name is listed under listen.hosts in lucchetto.yaml.",
  },
  "refused-by-site": {
    status: 403,
    title: "The site does not allow this",
    meaning:
      "The application was asked before anything was done, and refused. `detail` holds its own sentence.",
    mend: "Ask the people who run the site.",
  },
  "site-silent": {
    status: 503,
    title: "The site does not answer",
    meaning:
      "The application is asked before this is done, and gave no usable answer in time. Nothing was done.",
    mend: "Try again a little later. The service's log says what was wrong with the answer.",
  },
  "operators-only": {
    status: 403,
    title: "For operators only",
    meaning: "You are signed in, but your account does not have the label `operator`.",
    mend: "Sign in with an operator's account.",
  },
  "label-missing": {
    status: 403,
    title: "Not for this account",
    meaning: "You are signed in, but the application requires a label that your account does not have.",
    mend: "Ask the people who run the site for the label.",
  },
  "foreign-origin": {
    status: 403,
    title: "The request comes from another origin",
    meaning:
      "A browser sent this from a page that is not Lucchetto's own, or a cookie came without the headers by which browsers say where a request comes from.",
    mend: 'On a page: open it at the service\'s public address. In a program: send no cookie, but `Authorization: Bearer …` with a token asked for with deliver: "token".',
  },
  "own-password-not-taken": {
    status: 403,
    title: "Passwords are not accepted here",
    meaning:
      "The application asked whether a person's own password is right, but it is not registered for that. Nothing was checked.",
    mend: "Make an access key on the account page and send it in the password's place; or register the application with --basic-passwords.",
  },
  "right-missing": {
    status: 403,
    title: "The application is not allowed to do this",
    meaning: "This call requires a right that the application does not have.",
    mend: "For its developer: give it the right with `lucchetto app change CLIENT-ID --rights accounts`.",
  },
  "account-of-operators": {
    status: 403,
    title: "An operator's account",
    meaning:
      "The account carries a built-in label (operator or auditor). No application changes it, suspends it or writes to it.",
    mend: "An operator does it, in the console or with `lucchetto account`.",
  },
  "proxies-only": {
    status: 403,
    title: "For reverse proxies only",
    meaning:
      "This is asked by reverse proxies before they let a request through, and the caller is not one of those listed in the configuration.",
    mend: "Name the proxy's address in proxyCheck.proxies of lucchetto.yaml.",
  },
  "not-found": {
    status: 404,
    title: "Not found",
    meaning: "There is nothing at this address, or nothing that is yours.",
    mend: "Check the address and the id.",
  },
  "mail-missing": {
    status: 503,
    title: "This site sends no mail",
    meaning: "This service has no way to send mail, so nobody can be sent a link.",
    mend: "Ask the people who run the site for a new password.",
  },
  "email-unverified": {
    status: 403,
    title: "The address is not confirmed yet",
    meaning: "The password is right, but the e-mail address has not been confirmed yet.",
    mend: "Open the link in the mail that was sent when you registered, or have it sent again.",
  },
  reauthenticate: {
    status: 403,
    title: "Confirm that it is you",
    meaning: "This change needs a proof that was shown within the last ten minutes.",
    mend: "Call POST /v1/session/reauthenticate with the password, and the second factor where there is one; then send the request again.",
  },
  "enrolment-lapsed": {
    status: 409,
    title: "Started too long ago",
    meaning: "An authenticator app has to be confirmed within fifteen minutes. Nothing has changed.",
    mend: "Start over with a new QR code.",
  },
  "second-factor-missing": {
    status: 409,
    title: "There is no second factor",
    meaning: "Recovery codes stand in for an authenticator app or a passkey, and the account has neither.",
    mend: "Set one up first; the codes come with it.",
  },
  "keys-missing": {
    status: 503,
    title: "There is no key ring",
    meaning:
      "Secrets of authenticator apps are sealed under the key ring, and this service runs without one: after its next start nobody could open them.",
    mend: "Make one with `lucchetto keys add`, name it under keys.file in lucchetto.yaml, and start the service again.",
  },
  "password-wanted": {
    status: 403,
    title: "A password is required",
    meaning:
      "The link was opened in another browser than the one that registered. The address is confirmed with the password from the registration, or with a new one, which ends whatever was set up before.",
    mend: "Send `present` with the password from the registration, or `password` with a new one.",
  },
  "mail-gone": {
    status: 409,
    title: "This mail cannot be sent again",
    meaning: "It was sent, caught or held back, or it is on its way at this moment.",
    mend: "Ask for a new one.",
  },
  "address-taken": {
    status: 409,
    title: "The address belongs to another account",
    meaning: "Another account has taken this address or username since the link was sent.",
    mend: "Ask the people who run the site, or register with another one.",
  },
  "link-unknown": {
    status: 404,
    title: "This link is not valid",
    meaning:
      "No such link was sent, or it belongs to an address that the account no longer has. Part of it may be missing.",
    mend: "Open the whole link from the mail, or ask for a new one.",
  },
  "link-used": {
    status: 410,
    title: "This link has already been used",
    meaning: "A mailed link works only once.",
    mend: "Sign in, or ask for a new link.",
  },
  "link-superseded": {
    status: 410,
    title: "There is a newer link",
    meaning:
      "You asked again after this link was sent, or the password was reset meanwhile; only the newest one works.",
    mend: "Open the newest mail, or ask for a new link.",
  },
  "link-expired": {
    status: 410,
    title: "This link has expired",
    meaning: "A mailed link works for a limited time, and that time is over.",
    mend: "Ask for a new link; it takes a minute.",
  },
  "method-not-allowed": {
    status: 405,
    title: "Method not allowed",
    meaning: "The address exists, but not for this method. The reply's Allow header lists those it takes.",
    mend: "Use one of the listed methods.",
  },
  "request-timeout": {
    status: 408,
    title: "The request took too long to arrive",
    meaning: "The whole request must arrive within a few seconds.",
    mend: "Send it again, at once.",
  },
  "identifier-taken": {
    status: 409,
    title: "Already in use",
    meaning: "Another account has this e-mail address or username. `errors` says which.",
    mend: "Choose another, or sign in if the account is yours.",
  },
  "body-too-large": {
    status: 413,
    title: "The request is too large",
    meaning: "A body may have 64 KiB at most.",
    mend: "Send less.",
  },
  "address-too-long": {
    status: 414,
    title: "The address is too long",
    meaning: "A part of the address is longer than anything that could stand there.",
    mend: "Check the address.",
  },
  "unsupported-media-type": {
    status: 415,
    title: "Not this kind of body",
    meaning:
      "Calls under /v1 take application/json; the standards' endpoints under /oauth take application/x-www-form-urlencoded.",
    mend: "Set the Content-Type header to what the call takes.",
  },
  throttled: {
    status: 429,
    title: "Too many attempts",
    meaning: "There were too many failed attempts for this name or from this network. Nothing was checked.",
    mend: "Wait the seconds in Retry-After, then try again. The reply is the same whether the name is known or not.",
  },
  "headers-too-large": {
    status: 431,
    title: "The headers are too large",
    meaning: "All headers together may have 16 KiB at most.",
    mend: "Clear the cookies of this host and try again.",
  },
  "internal-error": {
    status: 500,
    title: "Something went wrong",
    meaning: "The service ran into a fault of its own. It is in its log under the request id.",
    mend: "Try again. If it keeps happening, give the request id to the people who run the site.",
  },
  "too-busy": {
    status: 503,
    title: "Too busy right now",
    meaning:
      "More people are signing in at this moment than passwords can be checked. Nothing was counted against you.",
    mend: "Try again after the seconds in Retry-After.",
  },
  "storage-unavailable": {
    status: 503,
    title: "The database cannot be reached",
    meaning:
      "The service is up, but its database is not, or it cannot keep anything at the moment. Nothing was changed.",
    mend: "Try again in a moment; the service goes on by itself when the database is back.",
  },
  stopping: {
    status: 503,
    title: "The service is stopping",
    meaning: "This instance was told to stop. It answers what it has, and takes no new work.",
    mend: "Send requests to another instance; this one is ready again after its start.",
  },
  "unknown-app": {
    status: 400,
    title: "This application is not registered",
    meaning:
      "The address that led here names no application known to this service, so nobody is sent anywhere.",
    mend: "For its developer: `lucchetto app list` shows the client ids.",
  },
  "unregistered-return-address": {
    status: 400,
    title: "The return address is not registered",
    meaning:
      "The application asks to be answered at an address that is not, letter for letter, one of those registered for it.",
    mend: "For its developer: register the address (lucchetto app change CLIENT-ID --redirect-uri ADDRESS), or send the registered one.",
  },
  ...PASSKEY_FAULTS,
} as const satisfies Record<string, ProblemKind>;

/** Those of an authenticator's answer. */
export const PASSKEY_PROBLEMS = Object.keys(PASSKEY_FAULTS) as Array<keyof typeof PASSKEY_FAULTS>;

export type ProblemCode = keyof typeof PROBLEMS;

/** Path of the page that explains a problem, below the public address. */
export function problemPath(code: ProblemCode): string {
  return `/problems/${code}`;
}
