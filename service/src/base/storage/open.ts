/** Opens the database for a task, and says in plain words why it cannot be opened. */
import { setTimeout as pause } from "node:timers/promises";
import type { DataSource } from "typeorm";
import type { DatabaseSettings } from "./data-source.ts";
import { createDataSource } from "./data-source.ts";

/** The database cannot be opened; the message says where it was looked for and what to do. */
export class DatabaseUnavailable extends Error {
  override readonly name = "DatabaseUnavailable";
  /** Whether it may be there in a moment; a wrong setting mends itself in none. */
  readonly mayCome: boolean;
  constructor(message: string, { cause, mayCome }: { cause: unknown; mayCome: boolean }) {
    super(message, { cause });
    this.mayCome = mayCome;
  }
}

/** What is not said of a wrong setting: the server is not there, starts, stops, or has too much to do. */
const MAY_COME = new Set([
  "ECONNREFUSED",
  "ECONNRESET",
  "EHOSTUNREACH",
  "ENETUNREACH",
  "ENOTFOUND",
  "EAI_AGAIN",
  "ETIMEDOUT",
  "PROTOCOL_CONNECTION_LOST",
  "ER_CON_COUNT_ERROR",
  "ER_SERVER_SHUTDOWN",
]);

/** Milliseconds between two tries. */
const TRY_AGAIN_AFTER = 500;

/** Opens it as soon as it is there. @param waiting is told once why it is waited for. @throws DatabaseUnavailable. */
export async function awaitDatabase(
  configuration: DatabaseSettings,
  waiting: (message: string) => void,
): Promise<DataSource> {
  for (let isFirst = true; ; isFirst = false) {
    try {
      return await openDatabase(configuration);
    } catch (error) {
      if (!(error instanceof DatabaseUnavailable) || !error.mayCome) throw error;
      if (isFirst) waiting(error.message);
      await pause(TRY_AGAIN_AFTER);
    }
  }
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
      { cause: error, mayCome: MAY_COME.has(code) },
    );
  }
}
