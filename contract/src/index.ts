/** Lucchetto's HTTP contract. */
export { ProblemError, UnreachableError } from "./call.ts";
export type { ClientOptions } from "./call.ts";
export * from "./client.ts";
export * from "./read-reply.ts";
export * from "./import-source.ts";
export type { Intake, IntakeRecipe, IntakeRefusal } from "./routes/intake.ts";
export type { DraftedPlan, IntakeCheck, IntakeDraft } from "./routes/intake-draft.ts";
export * from "./oauth.ts";
export * from "./known-programs.ts";
export * from "./own-path.ts";
export * from "./recent-keys.ts";
export * from "./page-state.ts";
export * from "./paths.ts";
export * from "./problems.ts";
export * from "./route.ts";
export { routes } from "./routes/index.ts";
export { BUILT_IN_LABELS, label, MAIL_LANGUAGES } from "./routes/account.ts";
export { MAX_CHECKED_TOKENS } from "./routes/check.ts";
export type {
  AssertionCredential,
  CreationOptions,
  PasskeyPurpose,
  RegistrationCredential,
  RequestOptions,
} from "./routes/passkey.ts";
export type { NextProof, Proof } from "./routes/sign-in.ts";
export type { LinkLook, MailboxItem, MailSource, SetUpThing } from "./routes/mail.ts";
export { MAIL_STATES } from "./routes/mail.ts";
export type { RehearsalLine, RehearsalShown } from "./routes/rehearsal.ts";
export { readRehearsalLine } from "./routes/rehearsal.ts";
export type { TotpImportOutcome } from "./routes/totp-import.ts";
export type { HashTuning } from "./routes/tuning.ts";
export * from "./shapes.ts";
export { hasControlCharacter } from "./text.ts";
export * from "./trace.ts";
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
