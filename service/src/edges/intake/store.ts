/** Intakes in the database: begun, gone on with, and written row by row in large statements. */
import { SEALED_DIGEST_PREFIX } from "@lucchetto/core";
import type { DataSource, EntityManager } from "typeorm";
import { In, MoreThan } from "typeorm";
import type {
  AccountRow,
  AuthenticatorRow,
  ImportedPasswordRow,
  IntakeRefusalRow,
  IntakeRow,
  PasskeyRow,
  PasswordRecordRow,
  RecipeRow,
  RecoveryCodeRow,
} from "../../base/storage/index.ts";
import {
  ENTITIES,
  IntakeEntity,
  IntakeRefusalEntity,
  RecipeEntity,
  sweepRows,
} from "../../base/storage/index.ts";

/** The one that was begun with the same plan and source, and has not ended. */
export function findUnfinished(dataSource: DataSource, fingerprint: Buffer): Promise<IntakeRow | null> {
  return dataSource.getRepository(IntakeEntity).findOneBy({ fingerprint, state: "running" });
}

export function findIntake(dataSource: DataSource, id: string): Promise<IntakeRow | null> {
  return dataSource.getRepository(IntakeEntity).findOneBy({ id });
}

/** Newest first. */
export function listIntakes(dataSource: DataSource): Promise<IntakeRow[]> {
  return dataSource.getRepository(IntakeEntity).find({ order: { id: "DESC" }, take: 100 });
}

export async function insertIntake(manager: EntityManager, row: IntakeRow): Promise<void> {
  await manager.getRepository(IntakeEntity).insert({ ...row });
}

export function listRecipes(dataSource: DataSource, intakeId: string): Promise<RecipeRow[]> {
  return dataSource.getRepository(RecipeEntity).find({ where: { intakeId }, order: { id: "ASC" } });
}

export async function insertRecipe(manager: EntityManager, row: RecipeRow): Promise<void> {
  await manager.getRepository(RecipeEntity).insert({ ...row });
}

/** Those that were refused, in the order of the source. */
export function listRefusals(
  dataSource: DataSource,
  intakeId: string,
  { after, take }: { after: string; take: number },
): Promise<IntakeRefusalRow[]> {
  return dataSource
    .getRepository(IntakeRefusalEntity)
    .find({ where: { intakeId, line: MoreThan(after) }, order: { line: "ASC" }, take });
}

/** Forgets the refused rows of intakes that ended, or were left, before a time. */
export async function sweepRefusals(dataSource: DataSource, before: Date): Promise<void> {
  const left = await dataSource.query<Array<{ id: string }>>(
    `SELECT id FROM intake WHERE COALESCE(endedAt, startedAt) < ?
        AND EXISTS (SELECT 1 FROM intake_refusal WHERE intakeId = intake.id)`,
    [before],
  );
  for (const { id } of left) await sweepRows(dataSource, "intake_refusal WHERE intakeId = ?", [id]);
}

/** How many passwords of an intake stand as they came, and how many of them lie sealed. */
export async function countStanding(
  dataSource: DataSource,
  intakeId: string,
): Promise<{ notYetSignedIn: number; sealed: number }> {
  // Each along one index alone: it is looked at every few seconds, of a million people.
  const [counts] = await dataSource.query<Array<{ notYetSignedIn: string; sealed: string }>>(
    `SELECT (SELECT COUNT(*) FROM imported_password WHERE intakeId = ? AND replacedAt IS NULL) AS notYetSignedIn,
            (SELECT COUNT(*) FROM password_record record
               JOIN recipe ON recipe.intakeId = ? AND record.scheme LIKE CONCAT('%,recipe=', recipe.id)
              WHERE record.scheme LIKE '${SEALED_DIGEST_PREFIX}%') AS sealed`,
    [intakeId, intakeId],
  );
  return { notYetSignedIn: Number(counts?.notYetSignedIn ?? 0), sealed: Number(counts?.sealed ?? 0) };
}

/** Accounts that have one of these, as far as an intake may fill them. */
type ExistingAccount = Pick<
  AccountRow,
  "id" | "emailKey" | "emailVerifiedAt" | "usernameKey" | "reference" | "displayName" | "labels" | "state"
>;

export async function findExisting(
  manager: EntityManager,
  keys: {
    emails: readonly string[];
    usernames: readonly string[];
    references: readonly string[];
    ids?: readonly string[];
  },
): Promise<ExistingAccount[]> {
  const columns = "id, emailKey, emailVerifiedAt, usernameKey, reference, displayName, labels, state";
  const asked = [
    ["emailKey", keys.emails],
    ["usernameKey", keys.usernames],
    ["reference", keys.references],
    ["id", keys.ids ?? []],
  ] as const;
  const parts = asked.filter(([, some]) => some.length > 0);
  if (parts.length === 0) return [];
  const rows = await manager.query<Array<ExistingAccount & { labels: unknown }>>(
    parts.map(([column]) => `SELECT ${columns} FROM account WHERE ${column} IN (?)`).join(" UNION "),
    parts.map(([, some]) => [...some]),
  );
  return rows.map((row) => ({
    ...row,
    labels: (typeof row.labels === "string" ? JSON.parse(row.labels) : row.labels) as string[],
  }));
}

/** Of these accounts those that were erased here, as far as the journal remembers. */
export async function findErased(
  manager: EntityManager,
  ids: readonly string[],
): Promise<ReadonlySet<string>> {
  if (ids.length === 0) return new Set();
  const rows = await manager.query<Array<{ accountId: string }>>(
    "SELECT DISTINCT accountId FROM journal_entry WHERE accountId IN (?) AND kind = 'account.erased'",
    [[...ids]],
  );
  return new Set(rows.map(({ accountId }) => accountId));
}

interface TableOf {
  account: AccountRow;
  password_record: PasswordRecordRow;
  imported_password: ImportedPasswordRow;
  intake_refusal: IntakeRefusalRow;
  authenticator: AuthenticatorRow;
  passkey: PasskeyRow;
  recovery_code: RecoveryCodeRow;
}

/** Many rows in one statement: a mapper that looks at each value would take most of the time. */
export async function insertMany<Table extends keyof TableOf>(
  manager: Pick<EntityManager, "query">,
  table: Table,
  rows: ReadonlyArray<TableOf[Table]>,
): Promise<void> {
  if (rows.length === 0) return;
  const columns = columnsOf(table);
  const values = rows.map((row) =>
    columns.map(({ name, isJson }) => {
      const value = (row as unknown as Record<string, unknown>)[name];
      return isJson ? JSON.stringify(value) : value;
    }),
  );
  const names = columns.map(({ name }) => `\`${name}\``).join(", ");
  await manager.query(`INSERT INTO ${table} (${names}) VALUES ?`, [values]);
}

interface Column {
  readonly name: string;
  readonly isJson: boolean;
}
const COLUMNS = new Map<string, readonly Column[]>();

function columnsOf(table: string): readonly Column[] {
  const known = COLUMNS.get(table);
  if (known !== undefined) return known;
  const entity = ENTITIES.find(({ options }) => options.name === table);
  const columns = Object.entries(entity?.options.columns ?? {}).map(([name, column]) => ({
    name,
    isJson: (column as { type?: unknown } | undefined)?.type === "json",
  }));
  COLUMNS.set(table, columns);
  return columns;
}

/** Everything that one new account brings. */
export interface AccountRows {
  readonly account: AccountRow;
  readonly record: PasswordRecordRow | null;
  readonly imported: ImportedPasswordRow | null;
  readonly authenticators: readonly AuthenticatorRow[];
  readonly passkeys: readonly PasskeyRow[];
  readonly codes: readonly RecoveryCodeRow[];
}

/**
 * Inserts new accounts with all that they bring, a statement for each table. The statements are handed over together: one connection
 * does them in this order, and does not wait between them for the next to be written.
 */
export async function insertAccounts(
  manager: Pick<EntityManager, "query">,
  rows: readonly AccountRows[],
): Promise<void> {
  const { account, record, imported, authenticators, passkeys, codes } = byTable(rows);
  await Promise.all([
    insertMany(manager, "account", account),
    insertMany(manager, "password_record", record),
    insertMany(manager, "imported_password", imported),
    insertMany(manager, "authenticator", authenticators),
    insertMany(manager, "passkey", passkeys),
    insertMany(manager, "recovery_code", codes),
  ]);
}

function byTable(rows: readonly AccountRows[]) {
  return {
    account: rows.map(({ account }) => account),
    record: rows.flatMap(({ record }) => record ?? []),
    imported: rows.flatMap(({ imported }) => imported ?? []),
    authenticators: rows.flatMap(({ authenticators }) => authenticators),
    passkeys: rows.flatMap(({ passkeys }) => passkeys),
    codes: rows.flatMap(({ codes }) => codes),
  };
}

export interface Fill {
  readonly id: string;
  readonly displayName: string | null;
  readonly reference: string | null;
  readonly labels: readonly string[];
}

/** What an account lacked; nothing that stands there is changed. */
export async function fillAccount(
  manager: EntityManager,
  { id, displayName, reference, labels }: Fill,
): Promise<void> {
  await manager.query(
    "UPDATE account SET displayName = COALESCE(displayName, ?), reference = COALESCE(reference, ?), labels = ? WHERE id = ?",
    [displayName, reference, JSON.stringify(labels), id],
  );
}

/** Counts on from exactly where it stood; `false`: somebody else runs the same intake, and got on with it. */
export async function advancePosition(
  manager: EntityManager,
  id: string,
  {
    from,
    to,
    taken,
    filled,
    refused,
  }: { from: number; to: number; taken: number; filled: number; refused: number },
): Promise<boolean> {
  const { affectedRows } = await manager.query<{ affectedRows: number }>(
    `UPDATE intake SET position = ?, taken = taken + ?, filled = filled + ?, refused = refused + ?
      WHERE id = ? AND position = ? AND state = 'running'`,
    [to, taken, filled, refused, id, from],
  );
  return affectedRows === 1;
}

export async function endIntake(manager: EntityManager, id: string, now: Date): Promise<void> {
  await manager.getRepository(IntakeEntity).update({ id }, { state: "done", endedAt: now });
}

export function findRecipe(
  dataSource: DataSource,
  which: Pick<RecipeRow, "id" | "intakeId">,
): Promise<RecipeRow | null> {
  return dataSource.getRepository(RecipeEntity).findOneBy(which);
}

export function findRecipes(manager: EntityManager, ids: readonly string[]): Promise<RecipeRow[]> {
  return manager.getRepository(RecipeEntity).findBy({ id: In([...ids]) });
}

export async function rewriteRecipe(
  manager: EntityManager,
  id: string,
  change: Pick<RecipeRow, "text" | "isProven" | "changedAt">,
): Promise<void> {
  await manager.getRepository(RecipeEntity).update({ id }, change);
}
