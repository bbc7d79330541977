/**
 * How fast a users table comes in.
 *
 *     node bench/moving-in.mjs [--rows 1000000] [--rounds 5] [--wrapped 600] [--pool 1G]
 *
 * First rows whose hashes stay as they are (bcrypt of cost 12), against a bare loop of multi-row INSERTs of the same rows through the
 * same driver, of which only the statements are timed; by turns, a part of the rows in each round, the median of the ratios; and the
 * most memory that a run held. Then digests that are wrapped as they come, against the configured scheme alone on the same cores.
 */
import { spawn } from "node:child_process";
import { createHash, randomBytes } from "node:crypto";
import { createWriteStream, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { availableParallelism, tmpdir } from "node:os";
import { join } from "node:path";
import { performance } from "node:perf_hooks";
import { finished } from "node:stream/promises";
import { fileURLToPath } from "node:url";
import { parseArgs } from "node:util";
import { makeRecord, readScheme } from "@lucchetto/core";
import mysql from "mysql2/promise";
import { createDatabase, randomPassword, startMariaDb } from "../scripts/mariadb.mjs";
import { runCommand } from "../scripts/process.mjs";
import { say } from "../scripts/say.mjs";

const { values } = parseArgs({
  options: {
    rows: { type: "string", default: "1000000" },
    rounds: { type: "string", default: "5" },
    wrapped: { type: "string", default: "600" },
    pool: { type: "string", default: "1G" },
  },
});
const ROWS = Number(values.rows);
const ROUNDS = Number(values.rounds);
const WRAPPED = Number(values.wrapped);
const MAIN = fileURLToPath(new URL("../service/dist/process/start.cjs", import.meta.url));
const AT_ONCE = 1_000;
const TABLES = ["account", "password_record", "imported_password"];
const CORES = availableParallelism();

const directory = mkdtempSync(join(tmpdir(), "lucchetto-bench-"));
const server = await startMariaDb(directory, { pool: values.pool });
try {
  const password = randomPassword();
  await createDatabase(server, { name: "lucchetto", user: "lucchetto", password });
  const config = join(directory, "lucchetto.yaml");
  writeFileSync(
    config,
    JSON.stringify({
      mode: "development",
      publicUrl: "http://localhost:8420",
      database: { url: `mariadb://lucchetto@127.0.0.1:${server.port}/lucchetto` },
    }),
  );
  const env = { ...process.env, LUCCHETTO_DATABASE_PASSWORD: password };
  await runCommand(process.execPath, [MAIN, "schema-apply", "--config", config], { env });
  const connection = await mysql.createConnection({
    host: "127.0.0.1",
    port: server.port,
    user: "lucchetto",
    password,
    database: "lucchetto",
  });
  await compareInserts({ config, env, connection });
  await compareHashes({ config, env });
  await connection.end();
} finally {
  await server.stop();
  rmSync(directory, { recursive: true, force: true });
}

async function compareInserts({ config, env, connection }) {
  for (const table of TABLES) await connection.query(`CREATE TABLE bare_${table} LIKE ${table}`);
  const each = Math.ceil(ROWS / ROUNDS);
  const rate = (seconds) => Math.round(each / seconds).toLocaleString("en");
  const ratios = [];
  let mebibytes = 0;
  let after = "00000000-0000-0000-0000-000000000000";
  say(`${ROWS.toLocaleString("en")} rows without wrapping, ${ROUNDS} rounds, buffer pool ${values.pool}`);
  for (let round = 0; round < ROUNDS; round += 1) {
    await writeGuests(round, each);
    const plan = writePlan("guests.yaml", {
      source: { file: "guests.csv", format: "csv" },
      columns: { username: "login", email: "mail", displayName: "name", createdAt: "joined" },
      passwords: [{ kind: "hash", column: "pw" }],
    });
    const run = await importRun({ config, env, plan });
    if (run.report.taken !== each) throw new Error(`${run.report.taken} rows were taken, not ${each}`);
    const bare = await insertBare(connection, after);
    after = bare.after;
    mebibytes = Math.max(mebibytes, run.mebibytes);
    ratios.push(bare.seconds / run.seconds);
    say(
      `  import run ${rate(run.seconds)} rows/s, bare INSERT loop ${rate(bare.seconds)} rows/s, ratio ${ratios.at(-1).toFixed(2)}`,
    );
  }
  const [median] = ratios.toSorted((left, right) => left - right).slice(Math.floor(ROUNDS / 2));
  say(`  median ratio ${median.toFixed(2)} (wanted: at least 0.50); at most ${mebibytes} MiB (wanted: 250)`);
}

async function writeGuests(round, count) {
  const file = createWriteStream(join(directory, "guests.csv"));
  file.write("login,mail,name,pw,joined\n");
  for (let number = 0; number < count; number += 1) {
    const hash = randomBytes(40).toString("hex").slice(0, 51);
    const name = `guest${round}x${number}`;
    const line = `${name},${name}@brina.example,Guest ${number},$2b$12$u${hash}u,2019-05-04 17:30:00\n`;
    if (!file.write(line)) await new Promise((resolve) => file.once("drain", resolve));
  }
  file.end();
  await finished(file);
}

/** The same rows once more into tables of the same form. Only the statements are timed. */
async function insertBare(connection, from) {
  let seconds = 0;
  let after = from;
  for (;;) {
    const [ids] = await connection.query(`SELECT id FROM account WHERE id > ? ORDER BY id LIMIT ${AT_ONCE}`, [
      after,
    ]);
    if (ids.length === 0) return { seconds, after };
    const some = ids.map(({ id }) => id);
    after = some.at(-1);
    const statements = [];
    for (const table of TABLES) {
      const key = table === "account" ? "id" : "accountId";
      const [rows, fields] = await connection.query({
        sql: `SELECT * FROM ${table} WHERE ${key} IN (?)`,
        values: [some],
        rowsAsArray: true,
      });
      const names = fields.map(({ name }) => `\`${name}\``).join(", ");
      const texts = rows.map((row) =>
        row.map((value) => (Array.isArray(value) ? JSON.stringify(value) : value)),
      );
      statements.push([`INSERT INTO bare_${table} (${names}) VALUES ?`, [texts]]);
    }
    const began = performance.now();
    await connection.beginTransaction();
    for (const [sql, parameters] of statements) await connection.query(sql, parameters);
    await connection.commit();
    seconds += (performance.now() - began) / 1_000;
  }
}

async function compareHashes({ config, env }) {
  const lines = Array.from({ length: WRAPPED }, (_, number) => {
    const digest = createHash("sha1").update(`s${number}a password of guest ${number}`).digest("hex");
    return `wrapped${number},wrapped${number}@brina.example,${digest},s${number}`;
  });
  writeFileSync(join(directory, "old.csv"), `login,mail,pw,salt\n${lines.join("\n")}\n`);
  const plan = writePlan("old.yaml", {
    source: { file: "old.csv", format: "csv" },
    columns: { username: "login", email: "mail" },
    passwords: [{ kind: "recipe", column: "pw", recipe: "hex(sha1(concat(salt, password)))", salt: "salt" }],
  });
  const before = await hashBare(WRAPPED / 2);
  const run = await importRun({ config, env, plan });
  const after = await hashBare(WRAPPED / 2);
  const bare = WRAPPED / (before + after);
  const rate = WRAPPED / run.seconds;
  say(`${WRAPPED} digests wrapped as they come, ${CORES} cores`);
  say(`  import run        ${run.seconds.toFixed(1)} s, ${rate.toFixed(2)} rows/s`);
  say(`  the scheme alone  ${bare.toFixed(2)} hashes/s`);
  say(`  ratio             ${(rate / bare).toFixed(2)} (wanted: at least 0.90)`);
}

/** Seconds that so many hashes of the default scheme take on all cores. */
async function hashBare(count) {
  const scheme = readScheme("$scrypt$ln=15,r=8,p=3");
  let left = count;
  const began = performance.now();
  const worker = async () => {
    while (left > 0) {
      left -= 1;
      await makeRecord("a password that nobody has", scheme, randomBytes(16));
    }
  };
  await Promise.all(Array.from({ length: CORES }, worker));
  return (performance.now() - began) / 1_000;
}

function writePlan(name, plan) {
  const path = join(directory, name);
  writeFileSync(path, JSON.stringify(plan));
  return path;
}

/** Runs one as the command does; with the most memory that it held. */
async function importRun({ config, env, plan }) {
  const began = performance.now();
  const child = spawn(process.execPath, [MAIN, "import-run", "--config", config], {
    env,
    stdio: ["pipe", "pipe", "inherit"],
  });
  child.stdin.end(JSON.stringify({ plan, known: [], unproven: true, wrap: "now" }));
  let out = "";
  child.stdout.on("data", (chunk) => (out += chunk));
  let mebibytes = 0;
  const looking = setInterval(() => {
    try {
      const [, kibibytes = "0"] =
        /VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${child.pid}/status`, "utf8")) ?? [];
      mebibytes = Math.max(mebibytes, Math.round(Number(kibibytes) / 1_024));
    } catch {
      // It has ended.
    }
  }, 100);
  const status = await new Promise((resolve) => child.once("close", resolve));
  clearInterval(looking);
  if (status !== 0) throw new Error(`import run ended with ${status}`);
  const last = out.trimEnd().split("\n").at(-1) ?? "";
  return { ...JSON.parse(last), seconds: (performance.now() - began) / 1_000, mebibytes };
}
