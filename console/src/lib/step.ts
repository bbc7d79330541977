/** What a sign-in in progress waits for. */
export interface Step {
  readonly wanted: readonly string[];
  /** When the sign-in lapses. */
  readonly expiresAt: string;
}
