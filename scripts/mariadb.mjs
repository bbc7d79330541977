/** A MariaDB server of one's own on loopback, in a folder of one's own. */
import { spawn } from "node:child_process";
import { randomBytes } from "node:crypto";
import { existsSync, mkdirSync, mkdtempSync, openSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir, userInfo } from "node:os";
import { join } from "node:path";
import { ensureDebianPackages, findProgram } from "./prerequisites.mjs";
import { endProcess, freePort, isPortFree, runCommand, waitUntil } from "./process.mjs";
import { UserError } from "./say.mjs";

/** Longest path of a Unix socket that the kernel takes. */
const MAX_SOCKET_PATH = 100;
const START_SECONDS = 60;

/** Installs MariaDB if it is missing. */
export function ensureMariaDb() {
  return ensureDebianPackages([
    { program: "mariadbd", package: "mariadb-server" },
    { program: "mariadb-install-db", package: "mariadb-server" },
  ]);
}

/**
 * Starts a server in `directory`, whose data it keeps. The server's root is this machine's user, by socket alone.
 * @param fast never flushes: for data that nobody would miss. @param lazyFlush flushes once a second, until `keepSafely`.
 * @returns `{port, socket, admin, keepSafely, stop}`; `admin(sql)` runs statements as root.
 */
export async function startMariaDb(directory, { fast = false, lazyFlush = false, pool } = {}) {
  const user = userInfo().username;
  const data = join(directory, "data");
  mkdirSync(directory, { recursive: true, mode: 0o700 });
  if (!existsSync(join(data, "mysql"))) {
    await runCommand(findProgram("mariadb-install-db"), [
      "--no-defaults",
      `--datadir=${data}`,
      "--auth-root-authentication-method=socket",
      `--auth-root-socket-user=${user}`,
      "--skip-test-db",
      `--user=${user}`,
    ]);
  }
  const port = await rememberedPort(join(directory, "port"));
  const socket = socketPath(directory);
  const log = openSync(join(directory, "mariadb.log"), "a", 0o600);
  const child = spawn(
    findProgram("mariadbd"),
    [
      "--no-defaults",
      `--datadir=${data}`,
      `--user=${user}`,
      "--bind-address=127.0.0.1",
      `--port=${port}`,
      `--socket=${socket}`,
      `--pid-file=${join(directory, "pid")}`,
      "--skip-name-resolve",
      "--character-set-server=utf8mb4",
      "--max-connections=500",
      ...(pool === undefined ? [] : [`--innodb-buffer-pool-size=${pool}`]),
      ...(fast || lazyFlush ? ["--innodb-flush-log-at-trx-commit=0", "--skip-sync-frm"] : []),
      ...(fast ? ["--innodb-flush-method=nosync"] : []),
    ],
    // A session of its own: Ctrl-C reaches only the runner, which ends the server last.
    { stdio: ["ignore", log, log], detached: true },
  );
  child.on("error", () => {});
  const ping = async () => {
    await runCommand(findProgram("mariadb-admin"), [
      "--no-defaults",
      `--socket=${socket}`,
      `-u${user}`,
      "ping",
    ]);
    return true;
  };
  try {
    await waitUntil(ping, { what: "MariaDB", seconds: START_SECONDS, ended: () => child.exitCode !== null });
  } catch (error) {
    child.kill("SIGKILL");
    const lines = readFileSync(join(directory, "mariadb.log"), "utf8")
      .trimEnd()
      .split("\n")
      .slice(-8)
      .join("\n");
    throw new UserError(`${error.message} Its log (${join(directory, "mariadb.log")}) ends with:\n${lines}`);
  }
  /** Runs statements as the server's root. */
  const admin = (sql) =>
    runCommand(findProgram("mariadb"), ["--no-defaults", `--socket=${socket}`, `-u${user}`, "--batch"], {
      input: sql,
    });
  return {
    port,
    socket,
    username: user,
    admin,
    /** From now on every commit is flushed before it is answered. */
    keepSafely: () =>
      admin("SET GLOBAL innodb_flush_log_at_trx_commit = 1, GLOBAL sync_frm = 1; FLUSH LOGS;"),
    stop: () => endProcess(child, 30),
    process: child,
  };
}

/** Makes a database and its user, who comes from this machine alone. Does nothing that is done already. */
export async function createDatabase(server, { name, user, password }) {
  for (const text of [name, user]) if (!/^[a-z0-9_]+$/.test(text)) throw new Error(`not a name: ${text}`);
  await server.admin(
    ["127.0.0.1", "localhost"]
      .map((host) => {
        const account = `'${user}'@'${host}'`;
        return `CREATE USER IF NOT EXISTS ${account} IDENTIFIED BY '${password}'; GRANT ALL ON \`${name}\`.* TO ${account};`;
      })
      .join("\n")
      .replace(/^/, `CREATE DATABASE IF NOT EXISTS \`${name}\` CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;\n`),
  );
}

/** A password of letters and digits. */
export function randomPassword() {
  return randomBytes(24).toString("hex");
}

async function rememberedPort(file) {
  const remembered = existsSync(file) ? Number(readFileSync(file, "utf8")) : 0;
  const port = remembered > 0 && (await isPortFree(remembered)) ? remembered : await freePort();
  writeFileSync(file, String(port));
  return port;
}

function socketPath(directory) {
  const near = join(directory, "mariadb.sock");
  return near.length <= MAX_SOCKET_PATH
    ? near
    : join(mkdtempSync(join(tmpdir(), "lucchetto-")), "mariadb.sock");
}
