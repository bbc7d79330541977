/** What a sign-in in progress still wants before it is a session. */

/** Any one of these moves a sign-in on. */
export type Wanted = "password" | "mail-link" | "mail-code" | "new-password" | SecondFactor;

/** What may be shown as the second proof. */
export type SecondFactor = "totp" | "recovery-code";

/** So many wrong proofs end a sign-in in progress. */
export const MOST_WRONG_PROOFS = 5;

/** Milliseconds that a sign-in in progress may take from its first proof; tries do not extend it. Before, a mail may be waited for as long as its link lives. */
export const PENDING_SIGN_IN_LIFE = 5 * 60_000;

/** What is known of the account that matters for how a sign-in goes on. */
export interface SignInRule {
  /** An operator wants a new password. */
  readonly mustChangePassword: boolean;
  /** What the account can show besides a first proof; empty: it has no second factor. */
  readonly secondFactors: readonly SecondFactor[];
}

/**
 * What is wanted next; nothing: the sign-in is complete. A new password comes last: whoever knows the old one alone
 * does not choose it.
 * @param shown the methods of the proofs shown so far (RFC 8176).
 */
export function wantedNext(
  { mustChangePassword, secondFactors }: SignInRule,
  shown: readonly string[] = [],
): readonly Wanted[] {
  if (secondFactors.length > 0 && !shown.includes(MORE_THAN_ONE)) return secondFactors;
  return mustChangePassword ? ["new-password"] : [];
}

/** RFC 8176: more than one proof was shown. */
const MORE_THAN_ONE = "mfa";

/** The methods of a sign-in after a second proof; more than one proof is "mfa" (RFC 8176). */
export function amrWith(amr: readonly string[], second: readonly string[]): string[] {
  return [...new Set([...amr, ...second, MORE_THAN_ONE])];
}
