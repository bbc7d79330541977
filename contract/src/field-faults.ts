/**
 * What can be wrong with a field: each fault has a code and, where a sentence needs them, parameters. The sentence here is
 * the English one that travels along as `message`; a page in another language makes its own from code and parameters.
 */

export type FaultParameters = Readonly<Record<string, string | number>>;

/** A fault as it stands in a problem's `errors`. */
export interface FieldError {
  /** Where in the body or query, `proof.code` for instance; empty for the whole. */
  readonly path: string;
  readonly code: FieldFaultCode;
  readonly parameters: FaultParameters;
  readonly message: string;
}

const SENTENCES = {
  missing: "This is missing.",
  empty: "Fill this in.",
  "unknown-field": "There is no such field here; omit it.",
  "wrong-type": "This must be {expected}.",
  "unknown-kind": "This is not a known kind.",
  "not-one-of": "This must be one of: {values}.",
  // What the schema says of a length, a pattern or a range.
  unacceptable: "{reason}",
  "identifier-missing": "Give an e-mail address or a username.",
  "identifier-not-used": "This site does not use {kind}; omit it.",
  "email-missing": "Enter your e-mail address.",
  "email-malformed": "This is not an e-mail address; it should look like name@brina.example.",
  "email-taken": "There is already an account with this address; sign in instead.",
  "email-has-account": "There is already an account with this address.",
  "email-unchanged": "This is already the address of the account.",
  "username-missing": "Choose a username.",
  "username-malformed": "Use 2 to 40 letters and digits, with . _ or - in between; no spaces or @.",
  "username-taken": "This username is taken; choose another.",
  "reference-taken": "Another account has this reference.",
  "password-or-passkey-missing": "Choose a password, or register with a passkey.",
  "passkey-incomplete": "Send challengeId and credential together.",
  "too-many-passkeys": "An account has at most {most} passkeys; remove one first.",
  "password-missing": "Choose a new password.",
  "password-empty": "Enter a password.",
  "password-too-short": "Use at least {least} characters; this one has {length}.",
  "password-too-long": "Use at most {most} characters.",
  "password-control-character": "Leave out line breaks, tabs and other control characters.",
  "password-ill-formed": "This text is not valid Unicode; type it again.",
  "password-common": "This is one of the passwords that attackers try first; use several words of your own.",
  "password-compromised":
    "This password has been stolen from another site, so attackers know it; use several words of your own.",
  "password-made-of-names":
    "This is made up of your name, your address or the site's name; add words unrelated to them.",
  "password-unchanged": "This is the password you are replacing; choose another.",
  "password-wrong": "This is not your password.",
  "present-password-wrong": "This is not your current password.",
  "former-password-wrong": "This is not the password from before the change.",
  "former-code-wrong": "This is not a code or recovery code from before the change.",
  "former-thing-not-there": "The account had nothing of this kind before the change; use something else.",
  "registration-password-wrong": "This is not the password you registered with; choose a new one instead.",
  "registration-password-wrong-here":
    "This is not the password you registered with. Leave it empty to go on without it.",
  "code-malformed": "The code has {digits} digits.",
  "code-wrong":
    "This is not the current code. Enter the latest one; if that does not help, check your device's clock.",
  "recovery-code-malformed": "A recovery code has three groups of five letters and digits.",
  "too-many-authenticators": "You already have {most}; remove one you no longer use.",
  "too-many-access-keys": "You already have {most} access keys; delete one you no longer use.",
  "in-the-past": "This time has already passed.",
  "label-of-operators": "An access key cannot have the label operator.",
  "label-not-yours": "Your account does not have this label.",
  "reason-missing": "Give a reason; it goes into the journal and to the other operators.",
  "own-second-factor": "This is your own account; remove your second factor on the account page.",
  "own-address": "This is your own account; change your address on the account page.",
  "own-password": "This is your own account; change your password on the account page.",
  "account-is-closed":
    "Its owner closed this account, and it will be erased; restore it before suspending it.",
  "account-is-invited":
    "Whoever was invited has not accepted yet; the account becomes active when they do. Send the invitation again, or wait.",
  "own-account-suspended": "This is your own account; another operator can suspend it.",
  "own-account-erased": "This is your own account; another operator can erase it.",
  "operator-erased": "This is an operator's account; another operator can erase it.",
  "client-id-taken": "The client id {clientId} is in use; give another with clientId.",
  "only-key": "This is the app's only key; create another one first.",
  "address-unacceptable": "The address {reason}.",
  "own-forms-first": "Only an app with forms of its own has pages for mailed links; give it that right, too.",
  "page-of-no-app": "Say which application the page is of.",
  "page-of-another": "This is no page of the application: it has other addresses.",
  "app-not-there": "There is no application with this client id.",
  "plan-unsound": "{reason}",
  "part-elsewhere": "The next part starts at {at}.",
  "upload-too-large": "An upload has at most {most} bytes; import a larger table with the command.",
  "upload-unfinished": "This upload is being processed; wait until that is done.",
  "recipe-unsound": "The recipe, {reason}.",
  "recipe-not-fitting": "With this recipe the password does not match what was imported for this account.",
  "not-of-recipe": "No account with this name was imported with this recipe and has not signed in yet.",
  "cursor-unknown": "This cursor does not come from a list; omit it to start over.",
} as const;

/** What can be wrong with a field, as a slug to switch on; `FIELD_FAULTS` has the sentence of each. */
export type FieldFaultCode = keyof typeof SENTENCES;

/** A fault of a field, with its English sentence. What was typed is never repeated in it. */
export function fieldError(path: string, code: FieldFaultCode, parameters: FaultParameters = {}): FieldError {
  const message = SENTENCES[code].replace(/\{(\w+)\}/g, (_, name: string) => String(parameters[name] ?? ""));
  return { path, code, parameters, message };
}
