/** The journal's vocabulary: every kind of security event that is recorded. */
export const JOURNAL_KINDS = [
  "account.registered",
  "account.registration-refused",
  "account.changed",
  "account.change-refused",
  "account.erased",
  "sign-in.begun",
  "sign-in.completed",
  "sign-in.refused",
  "password.changed",
  "password.reset",
  "mail-link.sent",
  "password.change-refused",
  "password.record-remade",
  "password.record-dearer",
  "session.signed-out",
  "session.replaced",
  "session.ended-by-operator",
  "throttle.released",
  "app.added",
  "app.removed",
  "app.key-added",
  "app.key-retired",
  "app.check-token-issued",
  "app.check-token-revoked",
  "app.code-refused",
  "app.code-used-again",
] as const;
export type JournalKind = (typeof JOURNAL_KINDS)[number];

export const JOURNAL_OUTCOMES = ["done", "refused"] as const;
export type JournalOutcome = (typeof JOURNAL_OUTCOMES)[number];
