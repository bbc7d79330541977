/** Opens the database for a task, and says in plain words why it cannot be opened. */
import type { DataSource } from "typeorm";
import type { DatabaseSettings } from "./data-source.ts";
import { createDataSource } from "./data-source.ts";

/** The database cannot be opened; the message says where it was looked for and what to do. */
export class DatabaseUnavailable extends Error {
  override readonly name = "DatabaseUnavailable";
}

const MENDS: Readonly<Record<string, string>> = {
  ECONNREFUSED: "nothing listens there; start MariaDB, or correct database.url",
  ENOTFOUND: "there is no such host; correct database.url",
  ETIMEDOUT: "no answer; check the network, or correct database.url",
  ER_ACCESS_DENIED_ERROR:
    "the user or the password is wrong; correct database.url, LUCCHETTO_DATABASE_PASSWORD or the file named by database.passwordFile",
  ER_ACCESS_DENIED_NO_PASSWORD_ERROR:
    "the user is unknown or the password is wrong; correct database.url, LUCCHETTO_DATABASE_PASSWORD or the file named by database.passwordFile",
  ER_HOST_NOT_PRIVILEGED: "no user of it may come from this machine; create one, or correct database.url",
  ER_BAD_DB_ERROR: "there is no such database; create it, or correct database.url",
  ER_DBACCESS_DENIED_ERROR: "the user may not use this database; grant it, or correct database.url",
};

/** For work that takes as long as the tables are large, such as a change of the schema. @throws DatabaseUnavailable. */
export function openWithoutDeadline({ database, databasePassword }: DatabaseSettings): Promise<DataSource> {
  const { url, connections } = database;
  return openDatabase({ database: { url, connections }, databasePassword });
}

/** @throws DatabaseUnavailable. */
export async function openDatabase(configuration: DatabaseSettings): Promise<DataSource> {
  const dataSource = createDataSource(configuration);
  try {
    return await dataSource.initialize();
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code ?? "";
    const { host, pathname } = new URL(configuration.database.url);
    throw new DatabaseUnavailable(
      `The database ${pathname.slice(1)} at ${host} cannot be opened: ${MENDS[code] ?? `it answered ${code || "nothing that was understood"}`}.`,
      { cause: error },
    );
  }
}
