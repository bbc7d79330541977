#!/usr/bin/env node
/**
 * `npm run demo`: Brina Huts on this machine, from nothing. It can be run again and goes on with the data it has.
 *
 *     npm run demo -- [--fresh] [--port 8420] [--app-port 8421] [--state .lucchetto]
 *
 * `--stop-after-start` ends it as soon as all is up; `--watch` starts the processes again when their code changes;
 * `--as-built` builds nothing. What does not wait for each other goes side by side.
 */
import { chmodSync, existsSync, mkdirSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { createDatabase, ensureMariaDb, startMariaDb } from "../scripts/mariadb.mjs";
import {
  buildPages,
  buildRooms,
  declareTypes,
  ensureNodePackages,
  sayVersions,
} from "../scripts/prerequisites.mjs";
import { run, say, step, UserError } from "../scripts/say.mjs";
import { factsOf, keepApps, sayFacts } from "./runner/facts.mjs";
import { loadHistory } from "./runner/history.mjs";
import { assertPortsFree, readOptions } from "./runner/options.mjs";
import { applySchema, lucchetto, startApp, startService } from "./runner/processes.mjs";
import {
  assertNotRunning,
  DATABASE,
  forget,
  keptSecret,
  writeConfiguration,
  writeSecret,
} from "./runner/state.mjs";

await run(main);

async function main() {
  const options = readOptions();
  const { state } = options;
  sayVersions();
  if (options.fresh) await forget(state);
  await assertNotRunning(state);
  await assertPortsFree(options);

  const running = stopInOrder(options);
  try {
    mkdirSync(state, { recursive: true, mode: 0o700 });
    chmodSync(state, 0o700);
    writeFileSync(join(state, "runner.pid"), String(process.pid));
    await open(options, running);
    if (options.stopAfterStart) return await running.stop();
    await running.untilOneEnds();
  } catch (error) {
    if (running.interrupted()) return;
    await running.stop();
    throw error;
  }
}

/** Brings everything up. */
async function open(options, running) {
  const { state } = options;
  const isLoaded = existsSync(join(state, "loaded"));
  const [database] = await Promise.all([openDatabase(options, running, isLoaded), makeReady(options)]);
  const pages = options.asBuilt ? Promise.resolve() : buildPages().then(declareTypes);
  // Awaited later on; until then a failure must not end the process.
  pages.catch(() => {});

  const password = keptSecret(join(state, "database-password"));
  const config = writeConfiguration(options, database.port, { receives: false });
  if (!existsSync(join(state, "keys.yaml"))) await lucchetto(["keys", "add", "--config", config]);
  const demo = await import("@lucchetto/demo");
  if (isLoaded) await applySchema(options, config);
  else {
    await loadHistory({ demo, options, config, database, password });
  }
  await pages;

  keptSecret(join(state, "webhook-secret"), demo.newWebhookSecret);
  writeConfiguration(options, database.port, { receives: true });
  running.add(await step(`starting Lucchetto at ${options.url}`, () => startService(options, config)));
  const apps = await keepApps(demo, options);
  running.add(
    await step(`starting the sample application at ${options.appUrl}`, () => startApp(options, apps)),
  );
  const facts = factsOf({ demo, options, database: { ...DATABASE, port: database.port, password }, apps });
  writeSecret(join(state, "demo.json"), `${JSON.stringify(facts, null, 2)}\n`);
  sayFacts(facts, { ...options, demo });
}

/** Installs the server if it is missing, and starts it. Data that would be played again are not flushed one by one. */
async function openDatabase({ state }, running, isLoaded) {
  await ensureMariaDb();
  const database = await step("starting MariaDB on loopback", () =>
    startMariaDb(join(state, "mariadb"), { lazyFlush: !isLoaded }),
  );
  running.add({ name: "the database", end: database.stop });
  await createDatabase(database, { ...DATABASE, password: keptSecret(join(state, "database-password")) });
  return database;
}

async function makeReady({ asBuilt }) {
  await ensureNodePackages();
  if (!asBuilt) await buildRooms();
}

/** What is running, and its end: in the order in which they lean on each other, the database last. */
function stopInOrder({ state }) {
  const running = [];
  let interrupted = false;
  const stop = async () => {
    for (const { name, end } of running.splice(0).reverse()) {
      await end();
      say(`stopped ${name}`);
    }
    rmSync(join(state, "runner.pid"), { force: true });
  };
  const interrupt = () => {
    if (interrupted) return;
    interrupted = true;
    say("\nStopping; the data stay.");
    stop().then(
      () => process.exit(0),
      (error) => {
        process.stderr.write(`Stopping failed: ${error.message}\n`);
        process.exit(1);
      },
    );
  };
  process.on("SIGINT", interrupt);
  process.on("SIGTERM", interrupt);
  return {
    add: (one) => running.push(one),
    stop,
    interrupted: () => interrupted,
    untilOneEnds: () =>
      new Promise((_, reject) => {
        for (const { name, process: child } of running)
          child?.once("exit", () => {
            if (!interrupted) reject(new UserError(`${name} has ended by itself; its log is in ${state}`));
          });
      }),
  };
}
