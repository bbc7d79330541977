/**
 * For tests that drive the real thing: builds whatever is not as its sources are, installs what is missing, and starts one MariaDB
 * for all, in a folder of its own. It writes down the schema that all migrations leave: each test file has a database of its own,
 * made from that text.
 */
import {
  accessSync,
  chmodSync,
  constants,
  existsSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statfsSync,
  writeFileSync,
} from "node:fs";
import { freemem, tmpdir } from "node:os";
import { join } from "node:path";
import { createDatabase, ensureMariaDb, randomPassword, startMariaDb } from "../scripts/mariadb.mjs";
import { build, ensureDebianPackages, findProgram } from "../scripts/prerequisites.mjs";
import { runCommand } from "../scripts/process.mjs";

const TEMPLATE = "schema_template";
const MEMORY = "/dev/shm";
/** Bytes: several times what all tests write. */
const PLENTY = 4 * 2 ** 30;

const PROGRAMS = [
  { program: "chromium-headless-shell", package: "chromium-headless-shell" },
  { program: "nginx", package: "nginx" },
  { program: "openssl", package: "openssl" },
  { program: "php", package: "php-cli" },
  { program: "python3", package: "python3" },
];

export default async function setUp() {
  // What is missing here is said before anything long begins.
  await ensureMariaDb();
  await ensureDebianPackages(PROGRAMS);
  await build();
  const place = placeToWrite();
  removeLeftBehind(place);
  // What tests leave lying goes with it. Some look at it as another user.
  const directory = mkdtempSync(join(place, `lucchetto-tests-${process.pid}-`));
  process.env.TMPDIR = directory;
  chmodSync(directory, 0o755);
  const server = await startMariaDb(join(directory, "mariadb"), { fast: true });
  globalThis.testDatabaseServer = { server, directory };
  process.env.TEST_DATABASE_SOCKET = server.socket;
  process.env.TEST_DATABASE_PORT = String(server.port);
  process.env.TEST_SCHEMA_FILE = await writeSchema(server, join(directory, "schema.sql"));
}

/** All that is written goes away afterwards: into memory if there is plenty of it, so that nobody waits for a disk. */
function placeToWrite() {
  try {
    accessSync(MEMORY, constants.W_OK);
    const { bavail, bsize } = statfsSync(MEMORY);
    if (bavail * bsize >= PLENTY && freemem() >= 2 * PLENTY) return MEMORY;
  } catch {
    // There is no such place.
  }
  return tmpdir();
}

/** Of runs that were killed, their database's server first. */
function removeLeftBehind(place) {
  for (const name of readdirSync(place)) {
    const [, id] = /^lucchetto-tests-(\d+)-/.exec(name) ?? [];
    if (id === undefined || existsSync(`/proc/${id}`)) continue;
    try {
      endServerOf(join(place, name, "mariadb"));
      rmSync(join(place, name), { recursive: true });
    } catch {
      // Somebody else's.
    }
  }
}

/** The id that is noted there may be another process's by now. */
function endServerOf(directory) {
  const note = join(directory, "pid");
  if (!existsSync(note)) return;
  const id = Number(readFileSync(note, "utf8"));
  const command = `/proc/${id}/cmdline`;
  if (existsSync(command) && readFileSync(command, "utf8").includes(`--datadir=${directory}/`))
    process.kill(id, "SIGKILL");
}

async function writeSchema(server, file) {
  // What was just compiled.
  const { createDataSource } = await import("@lucchetto/service");
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
