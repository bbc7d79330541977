/** A real service in a process of its own, on a MariaDB of its own, for benchmarks. */
import { spawn } from "node:child_process";
import { randomBytes } from "node:crypto";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { Agent, request } from "node:http";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { performance } from "node:perf_hooks";
import { fileURLToPath } from "node:url";
import { createConnection } from "mysql2/promise";
import { createDatabase, randomPassword, startMariaDb } from "../scripts/mariadb.mjs";
import { endProcess, freePort, runCommand, waitUntil } from "../scripts/process.mjs";

const MAIN = fileURLToPath(new URL("../service/dist/process/start.cjs", import.meta.url));
export const PASSWORD = "a good long password";

/** Options of a process that leaves a CPU profile of this name in a folder when it ends; none without a folder. */
export function profiling(folder, name) {
  return folder === undefined
    ? []
    : ["--cpu-prof", `--cpu-prof-dir=${folder}`, `--cpu-prof-name=${name}.cpuprofile`];
}

/**
 * @param settings of the configuration, on top of what a benchmark needs.
 * @param production as it runs there: no movable clock, which development asks the database for at each request.
 * @param profile folder for a CPU profile of the service. @param pool size of the database's buffer pool, such as `1G`; its usual 128 MiB if left out.
 */
export async function startBenchService(settings = {}, { production = false, pool, profile } = {}) {
  const directory = mkdtempSync(join(tmpdir(), "lucchetto-bench-"));
  const server = await startMariaDb(directory, { pool });
  const password = randomPassword();
  await createDatabase(server, { name: "lucchetto", user: "lucchetto", password });
  const port = await freePort();
  const config = join(directory, "lucchetto.yaml");
  writeFileSync(
    config,
    JSON.stringify({
      mode: "development",
      publicUrl: `http://localhost:${port}`,
      listen: { port, hosts: production ? ["bench", "localhost", "127.0.0.1"] : ["localhost", "127.0.0.1"] },
      log: { level: "warn" },
      database: { url: `mariadb://lucchetto@127.0.0.1:${server.port}/lucchetto` },
      throttle: { network: { most: 1_000_000 }, registrations: { most: 1_000_000 } },
      ...(production
        ? {
            mode: "production",
            publicUrl: "https://accounts.brina.example",
            keys: { file: "keys.yaml" },
            mail: "none",
          }
        : {}),
      ...settings,
    }),
  );
  if (production) {
    const keys = { current: "k1", keys: { k1: randomBytes(32).toString("base64url") } };
    writeFileSync(join(directory, "keys.yaml"), JSON.stringify(keys), { mode: 0o600 });
  }
  const env = { ...process.env, LUCCHETTO_DATABASE_PASSWORD: password };
  await runCommand(process.execPath, [MAIN, "schema-apply", "--config", config], { env });
  const child = spawn(
    process.execPath,
    [...profiling(profile, "service"), MAIN, "serve", "--config", config],
    { stdio: "inherit", env },
  );
  const url = `http://127.0.0.1:${port}`;
  try {
    await waitUntil(async () => (await fetch(`${url}/readyz`)).ok, {
      what: "the service",
      seconds: 30,
      ended: () => child.exitCode !== null,
    });
  } catch (error) {
    // Left running, they would keep the benchmark from ending.
    child.kill("SIGKILL");
    await server.stop();
    throw error;
  }
  const connection = await createConnection({
    host: "127.0.0.1",
    port: server.port,
    user: "lucchetto",
    password,
    database: "lucchetto",
  });
  return {
    url,
    /** For other processes on the same database: its file, and the environment with the database's password. */
    config,
    env,
    /** Process ids, to see what each takes. */
    pids: { service: child.pid, database: server.process.pid },
    database: { host: "127.0.0.1", port: server.port, user: "lucchetto", password, database: "lucchetto" },
    /** Asks the database directly. */
    query: async (sql) => (await connection.query(sql))[0],
    async stop() {
      await connection.end();
      await endProcess(child);
      await server.stop();
      rmSync(directory, { recursive: true });
    },
  };
}

const agent = new Agent({ keepAlive: true, maxSockets: 256 });

/** One request over a kept connection. @returns status, headers, text, and milliseconds until all of it was there. */
export function send(url, { method = "GET", token, body, headers = {} } = {}) {
  return new Promise((resolve, reject) => {
    const began = performance.now();
    const text = body === undefined ? undefined : JSON.stringify(body);
    const sent = request(
      url,
      {
        agent,
        method,
        headers: {
          ...headers,
          ...(token === undefined ? {} : { authorization: `Bearer ${token}` }),
          ...(text === undefined
            ? {}
            : { "content-type": "application/json", "content-length": Buffer.byteLength(text) }),
        },
      },
      (response) => {
        let received = "";
        response.on("data", (chunk) => (received += chunk));
        response.on("end", () =>
          resolve({
            status: response.statusCode,
            headers: response.headers,
            text: received,
            took: performance.now() - began,
          }),
        );
      },
    );
    sent.on("error", reject);
    sent.end(text);
  });
}

/** Keeps `lanes` of work going for so many milliseconds. @returns how much was done, and in how many seconds. */
export async function keepGoing(lanes, milliseconds, work) {
  const began = performance.now();
  let done = 0;
  const lane = async (number) => {
    while (performance.now() - began < milliseconds) {
      await work(number);
      done += 1;
    }
  };
  await Promise.all(Array.from({ length: lanes }, (_, number) => lane(number)));
  return { done, seconds: (performance.now() - began) / 1_000 };
}

export function quantile(times, share) {
  const sorted = [...times].sort((left, right) => left - right);
  return sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))];
}
