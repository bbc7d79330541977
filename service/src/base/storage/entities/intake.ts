import { EntitySchema } from "typeorm";

export const INTAKE_STATES = ["running", "done"] as const;

/** One run of `import`. */
export interface IntakeRow {
  id: string;
  /** What was read, for people. */
  source: string;
  plan: string;
  /** SHA-256 of the plan and of what says that the source is the same: whoever runs both again goes on. */
  fingerprint: Buffer;
  state: (typeof INTAKE_STATES)[number];
  startedAt: Date;
  endedAt: Date | null;
  /** Rows of the source that are done with, as the driver gives large numbers. */
  position: string;
  taken: number;
  /** Accounts that were there and got what they lacked. */
  filled: number;
  refused: number;
  /** First sign-ins with a password that came along, and tries with one that does not fit it. */
  firstSignIns: number;
  failedAttempts: number;
  /** Of the one instance that wraps its digests, until `claimedUntil` by the database's own clock. */
  claim: string | null;
  claimedUntil: Date | null;
}

export const IntakeEntity = new EntitySchema<IntakeRow>({
  name: "intake",
  columns: {
    id: { type: "uuid", primary: true },
    source: { type: "varchar", length: 500 },
    plan: { type: "text" },
    fingerprint: { type: "binary", length: 32 },
    state: { type: "varchar", length: 12, charset: "ascii", collation: "ascii_bin" },
    startedAt: { type: "datetime", precision: 3 },
    endedAt: { type: "datetime", precision: 3, nullable: true },
    position: { type: "bigint" },
    taken: { type: "int" },
    filled: { type: "int" },
    refused: { type: "int" },
    firstSignIns: { type: "int", default: 0 },
    failedAttempts: { type: "int", default: 0 },
    claim: { type: "uuid", nullable: true },
    claimedUntil: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [{ name: "intake_fingerprint", columns: ["fingerprint", "state"] }],
});

/** How an old system made its digests. Records name it by its id, so that it can be corrected. */
export interface RecipeRow {
  id: string;
  intakeId: string;
  text: string;
  /** It was shown to fit a password that is known. */
  isProven: boolean;
  changedAt: Date;
}

export const RecipeEntity = new EntitySchema<RecipeRow>({
  name: "recipe",
  columns: {
    id: { type: "varchar", length: 32, charset: "ascii", collation: "ascii_bin", primary: true },
    intakeId: { type: "uuid" },
    text: { type: "varchar", length: 2000 },
    isProven: { type: "boolean" },
    changedAt: { type: "datetime", precision: 3 },
  },
  indices: [{ name: "recipe_of_intake", columns: ["intakeId"] }],
  foreignKeys: [
    {
      name: "recipe_intake",
      target: "intake",
      columnNames: ["intakeId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});

/** What came along with a password from elsewhere, kept until some days after the password was replaced or re-made. */
export interface ImportedPasswordRow {
  accountId: string;
  intakeId: string;
  /** `null`: the record says itself what it is. */
  recipe: string | null;
  /** What the recipe uses, as the old system had it. */
  salt: Buffer | null;
  isSaltText: boolean;
  username: string | null;
  email: string | null;
  /** Bytes of the hash of a record that says itself what it is; `null`: it was not noted. */
  hashBytes: number | null;
  replacedAt: Date | null;
}

export const ImportedPasswordEntity = new EntitySchema<ImportedPasswordRow>({
  name: "imported_password",
  columns: {
    accountId: { type: "uuid", primary: true },
    intakeId: { type: "uuid" },
    recipe: { type: "varchar", length: 32, charset: "ascii", collation: "ascii_bin", nullable: true },
    salt: { type: "varbinary", length: 4096, nullable: true },
    isSaltText: { type: "boolean", default: false },
    username: { type: "varchar", length: 255, nullable: true },
    email: { type: "varchar", length: 320, nullable: true },
    hashBytes: { type: "smallint", nullable: true },
    replacedAt: { type: "datetime", precision: 3, nullable: true },
  },
  indices: [
    { name: "imported_password_of_intake", columns: ["intakeId", "replacedAt"] },
    { name: "imported_password_replaced", columns: ["replacedAt"] },
  ],
  foreignKeys: [
    {
      name: "imported_password_account",
      target: "account",
      columnNames: ["accountId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});

/** A row that was not taken, without its secrets. */
export interface IntakeRefusalRow {
  intakeId: string;
  /** Where it stands in the source, as the driver gives large numbers. */
  line: string;
  /** What was wrong: a member of the plan, or `row`. */
  member: string;
  reason: string;
  values: Record<string, string | null>;
}

export const IntakeRefusalEntity = new EntitySchema<IntakeRefusalRow>({
  name: "intake_refusal",
  columns: {
    intakeId: { type: "uuid", primary: true },
    line: { type: "bigint", primary: true },
    member: { type: "varchar", length: 40 },
    reason: { type: "varchar", length: 300 },
    values: { type: "json" },
  },
  foreignKeys: [
    {
      name: "intake_refusal_intake",
      target: "intake",
      columnNames: ["intakeId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
