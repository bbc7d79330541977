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

export const RECOVERY_RULES = {
  "email-changed": {
    happens: "another e-mail address",
    allowed:
      "asked for in a session with a fresh proof of the account's full strength; confirmed by a click where that session lives, elsewhere only by the short code that the link shows, typed in that session. When the session has ended, the change lapses",
    ends: ["sign-ins", "links"],
    told: "the new address, which account asks; the old one, if it was proved, with an undo link. For 7 days the old address stays taken for everybody else",
  },
  "change-undone": {
    happens: "a change of address is undone",
    allowed:
      "for 7 days, the link to the old address and one thing from before the change: a browser known then, the password that stood then, an older passkey, authenticator or recovery code. An account that had none of these needs the link alone. The link lives through resets and further changes",
    ends: [...ALL_THAT_IS_HELD, "password"],
    told: "the old address, which is the account's again. Passkeys, authenticators and recovery codes that came within 7 days before the change or since go; older ones stay and are asked for, also those that were removed in that time",
  },
  "factor-changed": {
    happens: "a passkey or an authenticator is added or removed, or recovery codes are replaced",
    allowed:
      "in a session with a fresh proof of the account's full strength; the last way into an account is never removed",
    ends: ["sign-ins"],
    told: "the proved address, and one changed away from within 7 days, with an undo link. What was removed or replaced is kept as long as it can come back, and opens nothing meanwhile",
  },
  "factor-undone": {
    happens: "a change of the second factor is undone",
    allowed: "for 7 days, the link and one thing from before that change, as for an address",
    ends: [...ALL_THAT_IS_HELD, "password"],
    told: "the proved address. What was added since goes, what was removed or replaced since comes back",
  },
  "password-reset": {
    happens: "a new password by mail",
    allowed:
      "the link to the account's address. It signs nobody in; a second factor is still asked for, with at most 10 more tries of its codes, once in 24 hours",
    ends: ALL_THAT_IS_HELD,
    told: "the account's address. Undo links stay",
  },
  "password-wanted": {
    happens: "an operator wants a new password",
    allowed:
      "at the next sign-in, last of all: state, second factor, mailed proof, new password, session. Without a second factor a mailed proof is wanted where the address is proved; with neither the password opens nothing, and an operator gives a first one. A first password given by an operator is enough by itself, once, for 7 days",
    ends: ["sessions", "sign-ins"],
    told: "the account's address, when the new password is set",
  },
  "enrolment-wanted": {
    happens: "a second factor must be set up inside a sign-in",
    allowed:
      "a mailed proof first, where the address is proved. Where only a passkey counts, password, app and recovery code lead to nothing but that",
    ends: [],
    told: "the proved address, as for every passkey and authenticator that is added",
  },
  "factor-removed-by-operator": {
    happens: "the second factor is lost",
    allowed:
      "a recovery code in its place; or an operator removes it, with a fresh proof and a reason. The next sign-in then wants the password and a mailed proof",
    ends: ["sessions", "sign-ins"],
    told: "the owner, with an undo link, and the other operators",
  },
  "email-corrected": {
    happens: "the address is lost",
    allowed:
      "an operator corrects it, with a fresh proof and a reason. The new address has to be proved, and as it may be mistyped, with one thing that the account has: a known browser, the password, a passkey, an authenticator or a recovery code. Whoever has none left is given a first password",
    ends: ["sign-ins", "links"],
    told: "the old address, if it was proved, with an undo link; the other operators",
  },
  closed: {
    happens: "somebody erases their own account",
    allowed:
      "in a session with a fresh proof of the account's full strength: it is closed at once, its rows go after 7 days (`accounts.eraseAfter`)",
    ends: ["sessions", "sign-ins", "access-keys", "links"],
    told: "the proved address, with a link that stops it",
  },
  "erasing-stopped": {
    happens: "the erasing is stopped",
    allowed: "until the rows go, the link and one thing from before, as for an address",
    ends: [],
    told: "the proved address. Everything is as it was, but for the sessions and access keys that ended",
  },
  "address-proved": {
    happens: "somebody proves an address for the first time, and is not whoever registered it",
    allowed:
      "the link, with a new password. Of an account from open registration everything goes that was set up before, labels and reference too; one that an operator made or imported keeps its second factor, which is asked for",
    ends: [...ALL_THAT_IS_HELD, "password"],
    told: "nobody: it is their first mail",
  },
} as const satisfies Record<string, RecoveryRule>;

export type RecoveryEvent = keyof typeof RECOVERY_RULES;

/** What operators may do with accounts, and what holds them. */
export const OPERATOR_RULES = [
  "What an operator changes needs a proof not older than 10 minutes; in production at level 2, with a second factor.",
  "Giving or taking `operator`, an app with rights of its own, removing a second factor, correcting an address, giving a first password and a rescue are told to all other operators.",
  "There is always one operator who is active and able to sign in: the last one can be neither suspended nor erased, and keeps the label.",
  "`lucchetto operator rescue`, run where configuration, key ring and database are, lets an operator in again who lost everything; journalled, and told to all operators.",
  "An auditor (label `auditor`) reads what operators read, and changes nothing; bodies and links of mails stay hidden.",
] as const;

const DAY = 86_400_000;

/** Milliseconds before a change of address in which second factors that came then are taken for the intruder's. */
export const PREPARING = 7 * DAY;
/** Milliseconds for which a first password given by an operator is enough by itself. */
export const FIRST_PASSWORD_LIFE = 7 * DAY;
/** Tries of codes that a reset by mail gives, and milliseconds until the next one gives any. */
export const TRIES_AFTER_RESET = 10;
export const BETWEEN_RESETS_THAT_GIVE_TRIES = DAY;
