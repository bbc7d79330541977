/**
 * Starts one MariaDB for all tests, in a folder of its own, and writes down the schema that all migrations leave: each
 * test file has a database of its own, made from that text.
 */
import { chmodSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { createDataSource } from "@lucchetto/service";
import { createDatabase, randomPassword, startMariaDb } from "../scripts/mariadb.mjs";
import { findProgram, ROOT } from "../scripts/prerequisites.mjs";
import { runCommand } from "../scripts/process.mjs";

const TEMPLATE = "schema_template";

export default async function setUp() {
  const directory = join(ROOT, ".test-state", String(process.pid));
  rmSync(directory, { recursive: true, force: true });
  const server = await startMariaDb(directory, { fast: true });
  globalThis.testDatabaseServer = { server, directory };
  // What tests leave lying goes with it. Some look at it as another user.
  process.env.TMPDIR = mkdtempSync(join(tmpdir(), "lucchetto-tests-"));
  chmodSync(process.env.TMPDIR, 0o755);
  process.env.TEST_DATABASE_SOCKET = server.socket;
  process.env.TEST_DATABASE_PORT = String(server.port);
  process.env.TEST_SCHEMA_FILE = await writeSchema(server, join(directory, "schema.sql"));
}

async function writeSchema(server, file) {
  const password = randomPassword();
  await createDatabase(server, { name: TEMPLATE, user: TEMPLATE, password });
  const url = `mariadb://${TEMPLATE}@127.0.0.1:${server.port}/${TEMPLATE}`;
  const dataSource = createDataSource({ database: { url, connections: 1 }, databasePassword: password });
  await dataSource.initialize();
  await dataSource.runMigrations({ transaction: "each" });
  await dataSource.destroy();
  const { username } = server;
  const dump = await runCommand(findProgram("mariadb-dump"), [
    "--no-defaults",
    `--socket=${server.socket}`,
    `-u${username}`,
    "--compact",
    TEMPLATE,
  ]);
  // Tables stand in the order of their names, not of what refers to what.
  writeFileSync(file, `SET FOREIGN_KEY_CHECKS = 0;\n${dump}`);
  return file;
}
