/**
 * Tasks that the command has the service's process do beside its configuration: what goes in on standard input and comes back on standard
 * output, a JSON value each. Command and process come from one build, so these are types alone.
 */
import type { FileSource, PlanDraft } from "./import-source.ts";
import type { IntakeCheck } from "./routes/operators/intake-draft.ts";
import type { Intake } from "./routes/operators/intake.ts";

/** The migrations of a database, against those that the service knows. */
export interface SchemaStatus {
  readonly migrations: ReadonlyArray<{ readonly name: string; readonly applied: boolean }>;
  /** Applied there, unknown here: the database belongs to a newer version. */
  readonly unknown: readonly string[];
  readonly current: boolean;
}

/** A line of `check`. */
export interface CheckFinding {
  readonly subject: string;
  readonly verdict: "ok" | "warning" | "wrong";
  readonly detail: string;
}

/** What stands under a key of the ring. */
export interface KeyNeeds {
  /** Password records peppered with it. */
  readonly records: number;
  /** Mails. */
  readonly sealed: number;
  readonly authenticators: number;
  readonly recoveryCodes: number;
  /** Entries of the journal's chain. */
  readonly entries: number;
}

/** A key ring's ids, never its keys. */
export interface KeyRingShown {
  readonly file: string;
  readonly current: string | null;
  readonly ids: readonly string[];
}

/** A ring with what stands under each key. */
export interface KeyRingWithNeeds extends KeyRingShown {
  /** By key id; `null`: the database did not say, and `notCounted` says why. */
  readonly needs: Readonly<Record<string, KeyNeeds>> | null;
  readonly notCounted?: string;
}

/** What goes with a key that is given up, and what its people do afterwards. */
export interface LossOfKey {
  readonly what: string;
  readonly afterwards: string;
}

/** A kind of mail, for whoever writes a template of their own. */
export interface MailKindShown {
  readonly name: string;
  /** When it is sent. */
  readonly when: string;
  /** What may stand in it. */
  readonly says: readonly string[];
}

/** What an import is run or checked with. */
export interface ImportInput {
  /** The plan's file. */
  readonly plan: string;
  /** A file of refused rows that were corrected. */
  readonly mended?: string;
  readonly known: ReadonlyArray<{ readonly who: string; readonly password: string }>;
  readonly unproven: boolean;
  readonly wrap: "auto" | "now" | "later";
}

/** How an import went. */
export interface ImportResult {
  readonly report: Intake;
  readonly wrapsLater: boolean;
  /** Rows that an earlier run had done. */
  readonly resumedAt: number;
}

/** How taking an export back went. */
export interface RestoreResult extends ImportResult {
  /** Accounts that had a label of operators; it is given in the console. */
  readonly operators: readonly string[];
  /** Authenticators that were left out, for there was no key to open them. */
  readonly leftOut: number;
  /** The domain that passkeys were made for, where it is another one here. */
  readonly otherRelyingParty: string | null;
}

/** What an export holds. */
export interface ExportResult {
  readonly accounts: number;
  readonly passwords: number;
  readonly passkeys: number;
  readonly authenticators: number;
  /** Authenticators whose secrets were left out: no key was named, or theirs is not in the ring. */
  readonly leftOut: number;
  /** Whether its lines carry seals, by which a change is noticed. */
  readonly isSealed: boolean;
}

/** How far long work has come. */
export interface TaskProgress {
  readonly phase: "check" | "write";
  readonly done: number;
  readonly total: number;
  readonly rows: number;
}

/** Every task by name. `input` is `null` where nothing is read. */
export interface Tasks {
  readonly "schema-status": { input: null; result: SchemaStatus };
  readonly "schema-apply": { input: null; result: { readonly applied: readonly string[] } };
  readonly check: { input: null; result: { readonly findings: readonly CheckFinding[] } };
  readonly "keys-list": { input: null; result: KeyRingWithNeeds };
  readonly "keys-add": { input: null; result: KeyRingShown };
  readonly "keys-promote": { input: null; result: KeyRingShown };
  readonly "keys-retire": { input: null; result: KeyRingShown };
  readonly "keys-needs": { input: null; result: { readonly lost: readonly LossOfKey[] } };
  readonly "mail-template": {
    input: { readonly name: string; readonly language: string };
    result: { readonly kinds: readonly MailKindShown[]; readonly source: string | null };
  };
  readonly "import-plan": {
    input: { readonly source: FileSource; readonly writtenAs: string };
    result: PlanDraft;
  };
  readonly "import-check": { input: ImportInput; result: IntakeCheck };
  readonly "import-run": { input: ImportInput; result: ImportResult };
  readonly "import-export": {
    input: { readonly path: string; readonly key: string | null; readonly unsealed: boolean };
    result: RestoreResult;
  };
  readonly export: {
    input: { readonly to: string; readonly key: string | null };
    result: ExportResult;
  };
  readonly "import-status": { input: null; result: readonly Intake[] };
  readonly "import-show": {
    input: { readonly id: string };
    result: { readonly report: Intake; readonly plan: string };
  };
  readonly "import-refused": {
    input: { readonly id: string; readonly to: string };
    result: { readonly written: number };
  };
  readonly "add-operator": { input: null; result: { readonly id: string } };
  readonly "rescue-operator": { input: null; result: { readonly id: string; readonly hadFactor: boolean } };
}

/** The name of a task. */
export type TaskName = keyof Tasks;
