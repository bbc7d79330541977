/** `schema-status` and `schema-apply`. */
import type { SchemaStatus } from "@lucchetto/contract";
import type { Configuration } from "../../base/config/index.ts";
import { openDatabase, openWithoutDeadline, schemaStatus } from "../../base/storage/index.ts";

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
