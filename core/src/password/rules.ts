/** What a new password must satisfy (NIST SP 800-63B-4 section 3.1.1.2). No rule asks for kinds of characters. */
import type { Context, IsListed } from "./guessable.ts";
import { isCommon, isMadeOfContext } from "./guessable.ts";
import { MAX_PASSWORD_LENGTH, preparePassword } from "./prepare.ts";

/** Shortest password that may sign in alone, in code points, unless configured otherwise. */
export const DEFAULT_MINIMUM_LENGTH = 15;

/** Shortest password that is shown beside a second factor in any case, in code points. */
export const MINIMUM_LENGTH_BESIDE_FACTOR = 8;

/** The configured rules. */
export interface PasswordRules {
  /** Code points after normalisation. */
  readonly minimumLength: number;
  /** Whether a lower-case text stands on the list of common passwords; without it nothing is looked up. */
  readonly isListed?: IsListed;
  /** Names of the person and the site, of which a password may not be made. */
  readonly context?: Context;
}

/** Why a password is not accepted, and the figures that a sentence about it needs. */
export interface PasswordFault {
  readonly code:
    | "password-empty"
    | "password-too-long"
    | "password-control-character"
    | "password-ill-formed"
    | "password-too-short"
    | "password-common"
    | "password-made-of-names"
    // Judged by whoever holds the list.
    | "password-compromised";
  readonly parameters: Readonly<Record<string, number>>;
}

/** An accepted password in its prepared form, or what is wrong with it. */
export type PasswordVerdict =
  | {
      readonly ok: true;
      readonly text: string;
      /** Of the prepared form. */
      readonly codePoints: number;
    }
  | ({ readonly ok: false } & PasswordFault);

/** Judges a new password. */
export function judgeNewPassword(typed: string, rules: PasswordRules): PasswordVerdict {
  const refuse = (code: PasswordFault["code"], parameters: PasswordFault["parameters"] = {}) =>
    ({ ok: false, code, parameters }) as const;
  const { minimumLength, isListed, context } = rules;
  const prepared = preparePassword(typed);
  if (!prepared.ok)
    return refuse(
      `password-${prepared.fault}`,
      prepared.fault === "too-long" ? { most: MAX_PASSWORD_LENGTH } : {},
    );
  if (prepared.codePoints < minimumLength)
    return refuse("password-too-short", { least: minimumLength, length: prepared.codePoints });
  if (isListed !== undefined && isCommon(prepared.text, isListed)) return refuse("password-common");
  if (context !== undefined && isMadeOfContext(prepared.text, context))
    return refuse("password-made-of-names");
  return { ok: true, text: prepared.text, codePoints: prepared.codePoints };
}
