/** `schema-status` and `schema-apply`. */
import type { SchemaStatus } from "@lucchetto/contract";
import type { Configuration } from "../../base/config/index.ts";
import { openDatabase, openWithoutDeadline, schemaStatus } from "../../base/storage/index.ts";

/** The database has not the schema that this service knows. */
export class SchemaMismatch extends Error {
  override readonly name = "SchemaMismatch";
}

/** Which migrations the database has. */
export async function readSchemaStatus(configuration: Configuration): Promise<SchemaStatus> {
  const dataSource = await openDatabase(configuration);
  try {
    return await schemaStatus(dataSource);
  } finally {
    await dataSource.destroy();
  }
}

/** Applies what is missing, each migration in a transaction of its own. @returns the names applied now. */
export async function applySchema(configuration: Configuration): Promise<string[]> {
  const dataSource = await openWithoutDeadline(configuration);
  try {
    const applied = await dataSource.runMigrations({ transaction: "each" });
    return applied.map(({ name }) => name);
  } finally {
    await dataSource.destroy();
  }
}

/**
 * Applies what is missing and says so; development alone. @throws SchemaMismatch where entities say what no migration makes: one was forgotten, or
 * is not listed.
 */
export async function applyWhileDeveloping(
  configuration: Configuration,
  say: (text: string) => void,
): Promise<void> {
  if (configuration.mode !== "development") throw new SchemaMismatch("This is for development.");
  for (const name of await applySchema(configuration)) say(`applied ${name}`);
  const dataSource = await openDatabase(configuration);
  try {
    const { upQueries } = await dataSource.driver.createSchemaBuilder().log();
    const [first] = upQueries;
    if (first === undefined) return;
    throw new SchemaMismatch(
      `The entities say what no migration makes: ${first.query}. Write one, and list it in service/src/base/storage/data-source.ts.`,
    );
  } finally {
    await dataSource.destroy();
  }
}
