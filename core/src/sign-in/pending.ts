/** What a sign-in in progress still wants before it is a session. */

/** Any one of these moves a sign-in on. */
export type Wanted = "new-password";

/** Milliseconds that a sign-in in progress may take; tries do not extend it. */
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
