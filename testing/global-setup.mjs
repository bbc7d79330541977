/** Starts one MariaDB for all tests, in a folder of its own; each test file has a database of its own in it. */
import { rmSync } from "node:fs";
import { join } from "node:path";
import { startMariaDb } from "../scripts/mariadb.mjs";
import { ROOT } from "../scripts/prerequisites.mjs";

export default async function setUp() {
  const directory = join(ROOT, ".test-state", String(process.pid));
  rmSync(directory, { recursive: true, force: true });
  const server = await startMariaDb(directory, { fast: true });
  globalThis.testDatabaseServer = { server, directory };
  process.env.TEST_DATABASE_SOCKET = server.socket;
  process.env.TEST_DATABASE_PORT = String(server.port);
}
