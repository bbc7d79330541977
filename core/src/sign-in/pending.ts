/** What a sign-in in progress still wants before it is a session. */

/** Any one of these moves a sign-in on. */
export type Wanted = "mail-link" | "mail-code" | "new-password";

/** What a sign-in by mail waits for: the link in the same browser, or the code that it is swapped for in another. */
export const WANTED_BY_MAIL: readonly Wanted[] = ["mail-link", "mail-code"];

/** So many wrong proofs end a sign-in in progress. */
export const MOST_WRONG_PROOFS = 5;

/** Milliseconds that a sign-in in progress may take from its first proof; tries do not extend it. Before, a mail may be waited for as long as its link lives. */
export const PENDING_SIGN_IN_LIFE = 5 * 60_000;

/** What is known of the account that matters for how a sign-in goes on. */
export interface SignInRule {
  /** An operator wants a new password. */
  readonly mustChangePassword: boolean;
}

/** What is wanted next; nothing: the sign-in is complete. A new password comes before everything else. */
export function wantedNext({ mustChangePassword }: SignInRule): readonly Wanted[] {
  return mustChangePassword ? ["new-password"] : [];
}
