/** A database of one's own on the tests' MariaDB, made from the prepared copy of the schema. */
import { randomBytes } from "node:crypto";
import { readFileSync } from "node:fs";
import { userInfo } from "node:os";
import { createConnection } from "mysql2/promise";

export interface TestDatabase {
  readonly url: string;
  readonly name: string;
  readonly password: string;
  drop(): Promise<void>;
}

/** Runs statements as the server's root. @param database in which they are run. @returns the rows of the last one. */
export async function asRoot(statements: string, database?: string): Promise<unknown[]> {
  const connection = await createConnection({
    socketPath: process.env["TEST_DATABASE_SOCKET"] as string,
    user: userInfo().username,
    multipleStatements: true,
    ...(database === undefined ? {} : { database }),
  });
  try {
    const [rows] = await connection.query(statements);
    return Array.isArray(rows) ? rows : [];
  } finally {
    await connection.end();
  }
}

/** @param schema whether the tables are there already, as all migrations leave them. */
export async function createTestDatabase({ schema = true } = {}): Promise<TestDatabase> {
  const name = `test_${randomBytes(6).toString("hex")}`;
  const password = randomBytes(16).toString("hex");
  await asRoot(
    `CREATE DATABASE ${name} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
     CREATE USER ${name}@'127.0.0.1' IDENTIFIED BY '${password}';
     GRANT ALL ON ${name}.* TO ${name}@'127.0.0.1';`,
  );
  if (schema) await asRoot(readFileSync(process.env["TEST_SCHEMA_FILE"] as string, "utf8"), name);
  return {
    name,
    password,
    url: `mariadb://${name}@127.0.0.1:${process.env["TEST_DATABASE_PORT"]}/${name}`,
    async drop() {
      await asRoot(`DROP DATABASE ${name}; DROP USER ${name}@'127.0.0.1';`);
    },
  };
}

/**
 * Whether a statement of the database waits for a lock at this moment. The table of transactions is a copy that is not made anew while it
 * is looked at often; the engine's own status always is.
 */
export async function waitsForALock({ name }: TestDatabase): Promise<boolean> {
  const [status] = (await asRoot("SHOW ENGINE INNODB STATUS")) as Array<{ Status: string }>;
  const waiting = (status?.Status ?? "")
    .split("---TRANSACTION")
    .filter((transaction) => transaction.includes("LOCK WAIT"))
    .map((transaction) => Number(/thread id (\d+)/.exec(transaction)?.[1]));
  const own = (await asRoot(`SELECT id FROM information_schema.processlist WHERE db = '${name}'`)) as Array<{
    id: number | string;
  }>;
  return own.some(({ id }) => waiting.includes(Number(id)));
}
