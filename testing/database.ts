/** A database of one's own on the tests' MariaDB. */
import { randomBytes } from "node:crypto";
import { userInfo } from "node:os";
import { createConnection } from "mysql2/promise";

export interface TestDatabase {
  readonly url: string;
  readonly name: string;
  readonly password: string;
  drop(): Promise<void>;
}

/** Runs a statement as the server's root. */
export async function asRoot(statement: string): Promise<void> {
  const connection = await createConnection({
    socketPath: process.env["TEST_DATABASE_SOCKET"] as string,
    user: userInfo().username,
    multipleStatements: true,
  });
  try {
    await connection.query(statement);
  } finally {
    await connection.end();
  }
}

export async function createTestDatabase(): Promise<TestDatabase> {
  const name = `test_${randomBytes(6).toString("hex")}`;
  const password = randomBytes(16).toString("hex");
  await asRoot(
    `CREATE DATABASE ${name} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
     CREATE USER ${name}@'127.0.0.1' IDENTIFIED BY '${password}';
     GRANT ALL ON ${name}.* TO ${name}@'127.0.0.1';`,
  );
  return {
    name,
    password,
    url: `mariadb://${name}@127.0.0.1:${process.env["TEST_DATABASE_PORT"]}/${name}`,
    drop: () => asRoot(`DROP DATABASE ${name}; DROP USER ${name}@'127.0.0.1';`),
  };
}
