/** What a new password must satisfy (NIST SP 800-63B-4 section 3.1.1.2). No rule asks for kinds of characters. */
import type { Context, IsListed } from "./guessable.ts";
import { isCommon, isMadeOfContext } from "./guessable.ts";
import { MAX_PASSWORD_LENGTH, preparePassword } from "./prepare.ts";

/** Shortest password that may sign in alone, in code points, unless configured otherwise. */
export const DEFAULT_MINIMUM_LENGTH = 15;

/** The configured rules. */
export interface PasswordRules {
  /** Code points after normalisation. */
  readonly minimumLength: number;
  /** Whether a lower-case text stands on the list of common passwords; without it nothing is looked up. */
  readonly isListed?: IsListed;
  /** Names of the person and the site, of which a password may not be made. */
  readonly context?: Context;
}

/** An accepted password in its prepared form, or a sentence for the person, which never repeats the password. */
export type PasswordVerdict =
  | { readonly ok: true; readonly text: string }
  | { readonly ok: false; readonly message: string };

/** Judges a new password. */
export function judgeNewPassword(typed: string, rules: PasswordRules): PasswordVerdict {
  const prepared = preparePassword(typed);
  if (!prepared.ok) return { ok: false, message: FAULT_MESSAGES[prepared.fault] };
  if (prepared.codePoints < rules.minimumLength) {
    return {
      ok: false,
      message: `Use at least ${rules.minimumLength} characters; this one has ${prepared.codePoints}.`,
    };
  }
  if (rules.isListed !== undefined && isCommon(prepared.text, rules.isListed)) {
    return {
      ok: false,
      message: "This is one of the passwords that guessers try first; use several words of your own.",
    };
  }
  if (rules.context !== undefined && isMadeOfContext(prepared.text, rules.context)) {
    return {
      ok: false,
      message:
        "This is made of your name, your address or the site's name; add words that have nothing to do with them.",
    };
  }
  return { ok: true, text: prepared.text };
}

const FAULT_MESSAGES = {
  empty: "Enter a password.",
  "too-long": `Use at most ${MAX_PASSWORD_LENGTH} characters.`,
  "control-character": "Leave out line breaks, tabs and other control characters.",
  "ill-formed": "This text is not valid Unicode; type it again.",
} as const;
