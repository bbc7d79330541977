/** What came along with passwords from elsewhere: the recipes, and what each account's digest was made with. */
import type { DataSource, EntityManager } from "typeorm";
import { In, IsNull } from "typeorm";
import type { ImportedPasswordRow } from "../../base/storage/index.ts";
import { ImportedPasswordEntity, RecipeEntity, sweepRows } from "../../base/storage/index.ts";

export interface Imported extends ImportedPasswordRow {
  /** As it is written at present; `null`: the record says itself what it is. */
  readonly recipeText: string | null;
}

/** What came along with an account's password; kept for some days after it was replaced. */
export async function findImported(dataSource: DataSource, accountId: string): Promise<Imported | null> {
  const [row] = await dataSource.query<Array<Imported & { isSaltText: number | boolean }>>(
    `SELECT imported.accountId, imported.intakeId, imported.recipe, imported.salt, imported.isSaltText, imported.username, imported.email,
            imported.hashBytes, imported.replacedAt, recipe.text AS recipeText
       FROM imported_password imported LEFT JOIN recipe ON recipe.id = imported.recipe
      WHERE imported.accountId = ?`,
    [accountId],
  );
  return row === undefined ? null : { ...row, isSaltText: Boolean(row.isSaltText) };
}

/** Whether an account's password came from elsewhere and stands as it came. */
export function hasImported(manager: EntityManager, accountId: string): Promise<boolean> {
  return manager.getRepository(ImportedPasswordEntity).existsBy({ accountId });
}

/** Recipes as they are written at present, by their ids. */
export async function findRecipeTexts(
  dataSource: DataSource,
  ids: readonly string[],
): Promise<ReadonlyMap<string, string>> {
  const rows = await dataSource
    .getRepository(RecipeEntity)
    .find({ select: { id: true, text: true }, where: { id: In([...ids]) } });
  return new Map(rows.map(({ id, text }) => [id, text]));
}

/** Notes that what came along stands no longer. @returns the intake that brought it, if it had stood until now. */
export async function noteReplaced(
  manager: EntityManager,
  accountId: string,
  now: Date,
): Promise<string | null> {
  const repository = manager.getRepository(ImportedPasswordEntity);
  const stands = { accountId, replacedAt: IsNull() };
  const row = await repository.findOne({ select: { accountId: true, intakeId: true }, where: stands });
  if (row === null) return null;
  const { affected } = await repository.update(stands, { replacedAt: now });
  return affected === 1 ? row.intakeId : null;
}

/** Counts a first sign-in with a password that came along, or a try that does not fit it. */
export async function countTry(
  database: Pick<EntityManager, "query">,
  intakeId: string,
  column: "firstSignIns" | "failedAttempts",
): Promise<void> {
  await database.query(`UPDATE intake SET ${column} = ${column} + 1 WHERE id = ?`, [intakeId]);
}

/** Forgets what came along with passwords that were replaced before a time. */
export async function sweepImported(dataSource: DataSource, before: Date): Promise<void> {
  await sweepRows(dataSource, "imported_password WHERE replacedAt < ?", [before]);
}
