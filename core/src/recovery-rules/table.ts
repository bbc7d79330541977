/**
 * Who takes an account over, and who gets it back: one table. The service reads from it what ends, `docs/recovery.md` is
 * made from it, and one test plays every row.
 *
 * The ground: a click alone never gives anything away; one thing alone (a mailbox, a password, a session) never takes an
 * account that is protected by more; whoever was robbed gets back in with what they had before.
 */

/** What of an account can end. */
export type Ending =
  | "sessions"
  | "sign-ins"
  | "access-keys"
  | "known-devices"
  /** All mailed links but those that undo something. */
  | "links"
  /** What counts against its password. */
  | "password-count"
  | "password";

/** What somebody who is not the owner may hold of an account. */
const ALL_THAT_IS_HELD = [
  "sessions",
  "sign-ins",
  "access-keys",
  "known-devices",
  "links",
  "password-count",
] as const satisfies readonly Ending[];

/** What operators' help ends besides: whoever was helped may have been robbed, and begins anew. */
const ENDED_BY_HELP = [
  "sign-ins",
  "access-keys",
  "known-devices",
  "links",
] as const satisfies readonly Ending[];

/** A row of the table of recovery. */
export interface RecoveryRule {
  /** What happens, for people. */
  readonly happens: string;
  /** Who may do it, and with what. */
  readonly allowed: string;
  /** What ends with it, in the same transaction. */
  readonly ends: readonly Ending[];
  /** Who hears of it. */
  readonly told: string;
}

/** The table of recovery: what each act ends, who may do it, and what undoes it (`docs/recovery.md`). */
export const RECOVERY_RULES = {
  "email-changed": {
    happens: "the e-mail address is changed",
    allowed:
      "the owner of a session, with a fresh proof of the account's full strength. A click on the link confirms the change in that session's browser; any other browser shows a short code to type in that session. If the session ends first, the change lapses",
    ends: ["sign-ins", "links"],
    told: "the new address (the mail names the account); the old one, if it was verified, with an undo link. For 7 days nobody else can take the old address",
  },
  "username-changed": {
    happens: "the username is changed",
    allowed:
      "the owner of a session, with a fresh proof of the account's full strength; at most 3 times in 7 days. For 7 days nobody else can take the old name. Without a verified address this is all the protection there is",
    ends: ["sign-ins"],
    told: "the verified address, and one replaced within the last 7 days, with an undo link",
  },
  "change-undone": {
    happens: "a change of address or username is undone",
    allowed:
      "for 7 days, whoever has the link sent to the old address and one thing from before the change (below). If the account had none, the link is enough. The link survives resets, suspension and further changes, takes later changes back as well, and keeps the account from being erased",
    ends: [...ALL_THAT_IS_HELD, "password"],
    told: "the old address, now restored. Passkeys, authenticators and recovery codes added since the change, or within 7 days before it, are removed; older ones are kept and required, including those removed in that time",
  },
  "factor-changed": {
    happens: "a passkey or an authenticator is added or removed, or recovery codes are replaced",
    allowed:
      "the owner of a session, with a fresh proof of the account's full strength. The last way into an account cannot be removed",
    ends: ["sign-ins"],
    told: "the verified address, and one replaced within the last 7 days, with an undo link. Whatever was removed or replaced is kept as long as it can be restored, but cannot be used",
  },
  "factor-undone": {
    happens: "a change of the second factor is undone",
    allowed: "for 7 days, whoever has the link and one thing from before that change, as for an address",
    ends: [...ALL_THAT_IS_HELD, "password"],
    told: "the verified address. Whatever was added since is removed, whatever was removed or replaced since is restored",
  },
  "password-changed": {
    happens: "a person changes their own password",
    allowed:
      "the owner of a session, with the present password or a fresh proof of the account's full strength. All other sessions end. The access keys are listed with age, last use and network; those made in the last 7 days end unless the person keeps them",
    ends: ["sign-ins"],
    told: "the account's address",
  },
  "password-reset": {
    happens: "the password is reset by mail",
    allowed:
      "whoever has the link sent to the account's address. It does not sign them in. A second factor is still required; a reset allows 10 more tries of its codes, once in 24 hours, and 30 in a year without a completed sign-in",
    ends: ALL_THAT_IS_HELD,
    told: "the account's address. Undo links remain valid",
  },
  "password-wanted": {
    happens: "an operator requires a new password",
    allowed:
      "the person, at the end of the next sign-in: account state, second factor, proof by mail, new password, session. Without a second factor, proof by mail is required if the address is verified. With neither, the password does not open the account and an operator sets a first password, which is sufficient by itself, once, for 7 days",
    ends: ["sessions", ...ENDED_BY_HELP],
    told: "the account's address, when it is required and once the new password is set",
  },
  "enrolment-wanted": {
    happens: "a second factor must be set up during sign-in",
    allowed:
      "the person, after a proof by mail if the address is verified. If only a passkey will do, password, app and recovery code lead only to setting one up",
    ends: [],
    told: "the verified address, as for every added passkey and authenticator",
  },
  "factor-removed-by-operator": {
    happens: "the second factor is lost",
    allowed:
      "the person uses a recovery code instead; or an operator removes the factor, with a fresh proof and a reason. The next sign-in then requires the password and a proof by mail",
    ends: ["sessions", ...ENDED_BY_HELP],
    told: "the owner, with an undo link, and the other operators. For that undo, browsers known before the help still count",
  },
  "factors-imported": {
    happens: "an operator imports authenticators from another system",
    allowed:
      "an operator, with a fresh proof. Accounts of operators and auditors, and those that have an authenticator, are left alone",
    ends: ENDED_BY_HELP,
    told: "the owner, with an undo link, and the other operators, once for each import",
  },
  "email-corrected": {
    happens: "the address is lost",
    allowed:
      "an operator corrects it, with a fresh proof and a reason. The new address must be verified and, since it may be mistyped, together with one thing the account has: a known browser, the password, a passkey, an authenticator or a recovery code. For people who have none left, the operator sets a first password",
    ends: ENDED_BY_HELP,
    told: "the old address, if it was verified, with an undo link; the other operators",
  },
  closed: {
    happens: "a person deletes their own account",
    allowed:
      "the owner of a session, with a fresh proof of the account's full strength. The account is closed immediately and its rows are erased after 7 days (`accounts.eraseAfter`)",
    ends: ["sessions", "sign-ins", "access-keys", "links"],
    told: "the verified address, with a link that cancels it",
  },
  "erasing-stopped": {
    happens: "the deletion is cancelled",
    allowed: "until the rows are erased, whoever has the link and one thing from before, as for an address",
    ends: [],
    told: "the verified address. Everything is as before, except for the sessions and access keys that ended",
  },
  "address-proved-here": {
    happens: "an address is verified for the first time, in the browser that registered the account",
    allowed:
      "whoever has the link and that browser, or shows something that was set up in the account. Second factors, passkeys, labels and reference stay; the page names each, with “Not mine” to remove it",
    ends: ["sessions", "sign-ins", "access-keys"],
    told: "the application, and the address itself, of whatever is removed",
  },
  "address-proved": {
    happens: "an address is verified for the first time, anywhere else",
    allowed:
      "whoever has the link; the page names what will be removed before it happens. An account from open registration loses everything that was set up before, including labels, reference and password, and gets a new password. An account that was imported or created by an operator keeps what it was given, and loses what was added since by whoever only had the password. A code typed into the browser that registered counts as anywhere else, unless the password from the registration is entered beside it",
    ends: [...ALL_THAT_IS_HELD, "password"],
    told: "the application, and the address itself, of whatever is removed",
  },
} as const satisfies Record<string, RecoveryRule>;

/** An act that the table of recovery knows. */
export type RecoveryEvent = keyof typeof RECOVERY_RULES;

/** What proves beside an undo link that its owner was there before. */
export const FROM_BEFORE_RULES = [
  "A password, passkey, authenticator, recovery code or browser counts if the account had it 7 days before the change that is undone (in younger accounts: when the address was first verified), or if it was set up since then by showing one that counts.",
  "Whatever was set up with the mailbox alone does not count, nor what was set up with that. A browser in which nothing but a mailed link was shown never counts.",
  "When the owner changes or resets the password in a browser, or with a second factor, that counted itself, earlier passwords and all other browsers stop counting. A change made anywhere else ends nothing.",
  "The password of that time and the first nine after it are kept for this (as records, as long as a link can be used and 7 days more). They open nothing.",
  "Links can be used in any order. The first one puts the account back into its owner's hands: what is set up with it or after it stays, whatever an older link takes back later.",
  "Each link allows 10 attempts an hour and never becomes invalid because of wrong attempts. Authenticator codes are also limited to 30 a year without a completed sign-in.",
] as const;

/** Who gets in with what, if both do all they can; and who is helped by an operator alone. */
export const WHO_WINS = [
  [
    "a leaked password",
    "anything: the password of before, the mailbox, a known browser, a second factor",
    "the owner",
  ],
  ["the mailbox", "the password, a known browser or a second factor of before", "the owner"],
  ["the mailbox", "the mailbox alone", "nobody can tell them apart: an operator has to help"],
  [
    "a stolen session",
    "the mailbox and one thing from before",
    "the owner; without a fresh proof the session changes next to nothing",
  ],
  [
    "a browser that was known 7 days before",
    "the mailbox and the password or a second factor of before",
    "the owner, unless the intruder changed the password in that browser first: then an operator has to help",
  ],
  [
    "the password and the mailbox",
    "a known browser or a second factor of before",
    "the owner, who changes the password there; earlier passwords then no longer count",
  ],
  ["the password and the mailbox", "the same two", "nobody can tell them apart: an operator has to help"],
] as const;

/** What operators may do with accounts, and what holds them. */
export const OPERATOR_RULES = [
  "Operators' changes require a proof from the last 10 minutes; in production at level 2, with a second factor.",
  "All other operators are notified when `operator` is assigned or removed, an app gets rights, a second factor is removed, an address is corrected, a first password is set, and after a rescue.",
  "There is always at least one active operator who can sign in: the last one cannot be suspended or erased, and keeps the label.",
  "`lucchetto operator rescue`, run where the configuration, key ring and database are, lets an operator who lost everything back in. It is journalled, and all operators are notified.",
  "An auditor (label `auditor`) can see what operators see but change nothing; mail bodies and links are hidden.",
] as const;

const DAY = 86_400_000;

/** Milliseconds before a change of address in which second factors that came then are taken for the intruder's. */
export const PREPARING = 7 * DAY;
/** Milliseconds for which a first password given by an operator is enough by itself. */
export const FIRST_PASSWORD_LIFE = 7 * DAY;
/** Tries of codes that a reset by mail gives, and milliseconds until the next one gives any. */
export const TRIES_AFTER_RESET = 10;
/** Milliseconds between two resets by mail that give new tries of codes. */
export const RESET_BONUS_INTERVAL = DAY;
/** Tries of codes that mails buy altogether until the next complete sign-in, and milliseconds after which they begin anew. */
export const TRIES_BY_MAIL = 30;
/** Milliseconds over which tries of codes bought by mail are counted. */
export const TRIES_BY_MAIL_PERIOD = 365 * DAY;
