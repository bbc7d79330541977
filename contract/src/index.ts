/** Lucchetto's HTTP contract. */
export { ProblemError, UnreachableError } from "./call.ts";
export type { ClientOptions } from "./call.ts";
export * from "./client.ts";
export * from "./read-reply.ts";
export * from "./import-source.ts";
export type { Intake, IntakeRecipe, IntakeRefusal } from "./routes/operators/intake.ts";
export type { DraftedPlan, IntakeCheck, IntakeDraft } from "./routes/operators/intake-draft.ts";
export * from "./oauth.ts";
export * from "./known-programs.ts";
export * from "./identity-headers.ts";
export * from "./own-path.ts";
export * from "./recent-keys.ts";
export * from "./page-state.ts";
export * from "./path-pattern.ts";
export * from "./paths.ts";
export * from "./problems.ts";
export * from "./proofs.ts";
export * from "./route-map.ts";
export * from "./route.ts";
export { routes } from "./routes/index.ts";
export { BUILT_IN_LABELS } from "./routes/apps/account.ts";
export { label, MAIL_LANGUAGES } from "./routes/people/account.ts";
export { MAX_CHECKED_TOKENS } from "./routes/apps/check.ts";
export type {
  AssertionCredential,
  CreationOptions,
  PasskeyPurpose,
  RegistrationCredential,
  RequestOptions,
} from "./routes/people/passkey.ts";
export type { NextProof, Proof } from "./routes/people/sign-in.ts";
export { MAILED_LINKS } from "./routes/people/mail.ts";
export type { LinkLook, SetUpThing } from "./routes/people/mail.ts";
export type { MailboxItem, MailSource } from "./routes/operators/mail.ts";
export { MAIL_STATES } from "./routes/operators/mail.ts";
export type { RehearsalLine, RehearsalShown } from "./routes/operators/rehearsal.ts";
export { readRehearsalLine } from "./routes/operators/rehearsal.ts";
export type { TotpImportOutcome } from "./routes/operators/totp-import.ts";
export type { HashTuning } from "./routes/operators/tuning.ts";
export * from "./shapes/people.ts";
export * from "./shapes/operators.ts";
export { hasControlCharacter } from "./text.ts";
export * from "./trace.ts";
export * from "./version.ts";
export * from "./webhooks.ts";
export * from "./field-faults.ts";
export type {
  CheckFinding,
  ExportResult,
  ImportInput,
  ImportResult,
  KeyNeeds,
  KeyRingShown,
  KeyRingWithNeeds,
  LossOfKey,
  MailKindShown,
  RestoreResult,
  SchemaStatus,
  TaskName,
  TaskProgress,
  Tasks,
} from "./tasks.ts";
