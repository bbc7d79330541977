/** Every mail there is, and what each may say: the names that stand between double braces in its template. */

export interface MailKind {
  /** When it is sent, for the docs and for whoever writes a template of their own. */
  readonly when: string;
  /** What may stand in it. Every mail may also say `site`. */
  readonly says: readonly string[];
  /** Without a button to `{{link}}` it would be of no use. */
  readonly needsLink: boolean;
}

export const MAIL_KINDS = {
  verify: {
    when: "somebody registered, or asked for the link again",
    says: ["name", "link", "life"],
    needsLink: true,
  },
  "already-registered": {
    when: "somebody registered with an address that has an account",
    says: ["link", "when", "network"],
    needsLink: false,
  },
  reset: { when: "a new password is asked for", says: ["name", "link", "life"], needsLink: true },
  "sign-in": {
    when: "signing in by mail is asked for",
    says: ["name", "link", "life", "browser", "network"],
    needsLink: true,
  },
  invite: { when: "an operator invites somebody", says: ["name", "link", "life"], needsLink: true },
  "change-email": {
    when: "an account is to get this address",
    says: ["name", "account", "address", "link", "life"],
    needsLink: true,
  },
  "email-changed": {
    when: "an account has got another address; goes to the one before",
    says: ["name", "address", "when", "network", "link", "life"],
    needsLink: true,
  },
  "username-changed": {
    when: "an account has got another username, or none any more",
    says: ["name", "username", "when", "network", "browser", "link", "life"],
    needsLink: true,
  },
  "email-restored": {
    when: "a change of address was undone",
    says: ["name", "when", "network"],
    needsLink: false,
  },
  "password-changed": {
    when: "the password was changed in a session",
    says: ["name", "when", "network", "browser", "link"],
    needsLink: false,
  },
  "password-removed": {
    when: "somebody does without a password from now on",
    says: ["name", "when", "network", "browser", "link"],
    needsLink: false,
  },
  "password-reset": {
    when: "the password was reset by a mailed link",
    says: ["name", "when", "network", "link"],
    needsLink: false,
  },
  "new-sign-in": {
    when: "somebody signed in from a browser that the account had not used before",
    says: ["name", "when", "network", "browser", "link"],
    needsLink: false,
  },
  "access-key-made": {
    when: "an access key was made in a session",
    says: ["name", "when", "network", "browser", "link"],
    needsLink: false,
  },
  "second-factor-added": {
    when: "an authenticator app was confirmed",
    says: ["name", "when", "network", "browser", "link", "life"],
    needsLink: true,
  },
  "second-factor-removed": {
    when: "an authenticator app was removed",
    says: ["name", "when", "network", "browser", "link", "life"],
    needsLink: true,
  },
  "passkey-added": {
    when: "a passkey was added",
    says: ["name", "when", "network", "browser", "link", "life"],
    needsLink: true,
  },
  "passkey-removed": {
    when: "a passkey was removed",
    says: ["name", "when", "network", "browser", "link", "life"],
    needsLink: true,
  },
  "recovery-codes-made": {
    when: "a new set of recovery codes was made",
    says: ["name", "when", "network", "browser", "link", "life"],
    needsLink: true,
  },
  "recovery-code-used": {
    when: "a recovery code was used in the second factor's place",
    says: ["name", "when", "network", "browser", "link", "left"],
    needsLink: false,
  },
  "email-corrected": {
    when: "an operator corrected an account's address",
    says: ["name", "link", "life"],
    needsLink: true,
  },
  "confirm-sign-in": {
    when: "a sign-in with the right password wants a mailed proof as well",
    says: ["name", "link", "life", "browser", "network"],
    needsLink: true,
  },
  "unproved-change": {
    when: "something of an account was changed whose address nobody has proved yet",
    says: [],
    needsLink: false,
  },
  "second-factor-restored": {
    when: "a change of the second factor was undone",
    says: ["name", "when", "network"],
    needsLink: false,
  },
  "account-closed": {
    when: "somebody erases their own account; it can still be stopped",
    says: ["name", "when", "network", "browser", "link", "life"],
    needsLink: true,
  },
  "account-reopened": {
    when: "the erasing of an account was stopped",
    says: ["name", "when", "network"],
    needsLink: false,
  },
  "first-password-given": {
    when: "an operator gave an account a first password",
    says: ["name", "when"],
    needsLink: false,
  },
  "new-password-wanted": {
    when: "an operator wants a new password at the next sign-in",
    says: ["name", "when"],
    needsLink: false,
  },
  "set-up-removed": {
    when: "an address was confirmed for the first time, and something that was set up in its account before was removed",
    says: ["name", "when", "network", "link"],
    needsLink: false,
  },
  "operators-told": {
    when: "an operator did something grave; goes to all others",
    says: ["name", "what", "account", "by", "reason", "when", "network"],
    needsLink: false,
  },
  "invitation-accepted": {
    when: "an invitation was accepted",
    says: ["name", "when", "network"],
    needsLink: false,
  },
} as const satisfies Record<string, MailKind>;

export type MailName = keyof typeof MAIL_KINDS;
export const MAIL_NAMES = Object.keys(MAIL_KINDS) as MailName[];

/** What a mail says, by name. `site` is filled in by itself. */
export type MailValues<Name extends MailName = MailName> = Readonly<
  Record<(typeof MAIL_KINDS)[Name]["says"][number], string>
>;
