#!/usr/bin/env node
/**
 * Does a refusal take the same time for a known and an unknown name? (requirement SI-2)
 *
 *     node bench/sign-in-timing.mjs [--tries 400] [--scheme '$scrypt$ln=15,r=8,p=3']
 *
 * Both kinds are tried by turns in one run, against the real service on a MariaDB of its own. It prints the medians,
 * their difference, and the p-value of a two-sided Mann-Whitney test: the chance of a difference like this if there
 * were none. A small p-value means that the two can be told apart.
 */
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { performance } from "node:perf_hooks";
import { parseArgs } from "node:util";
import { createDataSource, createService, loadConfiguration, systemClock } from "@lucchetto/service";
import { pino } from "pino";
import { createDatabase, randomPassword, startMariaDb } from "../scripts/mariadb.mjs";
import { freePort } from "../scripts/process.mjs";
import { run, say } from "../scripts/say.mjs";

/** Tries of one name; below the failures that are free, so that no wait comes between. */
const TRIES_PER_NAME = 4;
const PASSWORD = "a good long password";

await run(async () => {
  const { values } = parseArgs({
    options: {
      tries: { type: "string", default: "400" },
      scheme: { type: "string", default: "$scrypt$ln=15,r=8,p=3" },
    },
  });
  const tries = Number(values.tries);
  const directory = mkdtempSync(join(tmpdir(), "lucchetto-bench-"));
  const server = await startMariaDb(directory);
  const { url, stop } = await startService(directory, server, values.scheme);
  try {
    const names = Array.from({ length: Math.ceil(tries / TRIES_PER_NAME) }, (_, index) => `person${index}`);
    for (const name of names)
      await post(url, "/v1/accounts", {
        email: `${name}@brina.example`,
        password: PASSWORD,
        deliver: "token",
      });
    const times = { known: [], unknown: [] };
    for (let index = 0; index < tries; index += 1) {
      const name = names[index % names.length];
      // By turns, so that whatever slows the machine slows both.
      times.known.push(await timeRefusal(url, `${name}@brina.example`));
      times.unknown.push(await timeRefusal(url, `nobody.${name}@brina.example`));
    }
    report(times, values.scheme);
  } finally {
    await stop();
    await server.stop();
    rmSync(directory, { recursive: true });
  }
});

async function startService(directory, server, scheme) {
  const password = randomPassword();
  await createDatabase(server, { name: "lucchetto", user: "lucchetto", password });
  const port = await freePort();
  const file = join(directory, "lucchetto.yaml");
  const tree = {
    mode: "development",
    publicUrl: `http://localhost:${port}`,
    listen: { port },
    database: { url: `mariadb://lucchetto@127.0.0.1:${server.port}/lucchetto` },
    passwords: { hashing: { scheme } },
    throttle: { network: { most: 1_000_000 }, registrations: { most: 1_000_000 } },
  };
  writeFileSync(file, JSON.stringify(tree));
  const configuration = loadConfiguration(file, { LUCCHETTO_DATABASE_PASSWORD: password });
  const dataSource = await createDataSource(configuration).initialize();
  await dataSource.runMigrations({ transaction: "each" });
  const app = await createService({
    configuration,
    dataSource,
    clock: systemClock,
    logger: pino({ level: "silent" }),
  });
  await app.listen(configuration.listen);
  const stop = async () => {
    await app.close();
    await dataSource.destroy();
  };
  return { url: `http://localhost:${port}`, stop };
}

async function post(url, path, body) {
  const response = await fetch(url + path, {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(body),
  });
  await response.text();
  return response.status;
}

async function timeRefusal(url, identifier) {
  const started = performance.now();
  const status = await post(url, "/v1/sign-in", {
    proof: { type: "password", identifier, password: "a wrong long password" },
  });
  if (status !== 401) throw new Error(`expected a refusal, got ${status}`);
  return performance.now() - started;
}

function report({ known, unknown }, scheme) {
  const milliseconds = (value) => `${value.toFixed(2)} ms`;
  say(`${known.length} refusals each, by turns, scheme ${scheme}`);
  say(`median, known name     ${milliseconds(median(known))}`);
  say(`median, unknown name   ${milliseconds(median(unknown))}`);
  say(`difference             ${milliseconds(median(known) - median(unknown))}`);
  say(`p-value                ${mannWhitney(known, unknown).toFixed(3)} (Mann-Whitney, two-sided)`);
}

function median(values) {
  const sorted = [...values].sort((left, right) => left - right);
  const middle = sorted.length / 2;
  return sorted.length % 2 === 1 ? sorted[Math.floor(middle)] : (sorted[middle - 1] + sorted[middle]) / 2;
}

/** Two-sided p-value by the normal approximation, good for samples of this size. */
function mannWhitney(left, right) {
  const all = [
    ...left.map((value) => ({ value, isLeft: true })),
    ...right.map((value) => ({ value, isLeft: false })),
  ];
  all.sort((one, other) => one.value - other.value);
  const rankSum = all.reduce((sum, { isLeft }, index) => (isLeft ? sum + index + 1 : sum), 0);
  const [m, n] = [left.length, right.length];
  const u = rankSum - (m * (m + 1)) / 2;
  const z = Math.abs(u - (m * n) / 2) / Math.sqrt((m * n * (m + n + 1)) / 12);
  return 2 * (1 - standardNormal(z));
}

/** Distribution function of the standard normal (Abramowitz and Stegun 26.2.17; error below 7.5e-8). */
function standardNormal(z) {
  const t = 1 / (1 + 0.2316419 * z);
  const density = Math.exp((-z * z) / 2) / Math.sqrt(2 * Math.PI);
  const series =
    t * (0.31938153 + t * (-0.356563782 + t * (1.781477937 + t * (-1.821255978 + t * 1.330274429))));
  return 1 - density * series;
}
