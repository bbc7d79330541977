#!/usr/bin/env node
/**
 * `npm run demo`: Brina Huts on this machine, from nothing. It can be run again and goes on with the data it has.
 *
 *     npm run demo -- [--fresh] [--port 8420] [--app-port 8421] [--state .lucchetto]
 *
 * `--stop-after-start` ends it as soon as all is up; `--watch` starts the processes again when their code changes;
 * `--as-built` builds nothing.
 */
import { spawn } from "node:child_process";
import { chmodSync, existsSync, mkdirSync, openSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { parseArgs } from "node:util";
import { createDatabase, ensureMariaDb, randomPassword, startMariaDb } from "../scripts/mariadb.mjs";
import { build, ensureNodePackages, ROOT, sayVersions } from "../scripts/prerequisites.mjs";
import { endProcess, isPortFree, runCommand, waitUntil } from "../scripts/process.mjs";
import { Mendable, run, say, step } from "../scripts/say.mjs";

const AUTHENTICATORS = "authenticators.json";
const DATABASE = { name: "lucchetto", user: "lucchetto" };
const START_SECONDS = 30;
/** The scheme of the site's first weeks; the present one is dearer. */
const DAYS_OF_HISTORY = 30;

await run(main);

async function main() {
  const options = readOptions();
  const { state } = options;
  sayVersions();
  if (options.fresh) await forget(state);
  await assertNotRunning(state);
  await assertPortsFree(options);
  await ensureMariaDb();
  await ensureNodePackages();
  if (!options.asBuilt) await build();

  const running = [];
  const stop = async () => {
    // In the order in which they lean on each other; the database last.
    for (const { name, end } of running.splice(0).reverse()) {
      await end();
      say(`stopped ${name}`);
    }
    rmSync(join(state, "runner.pid"), { force: true });
  };
  let interrupted = false;
  const interrupt = () => {
    if (interrupted) return;
    interrupted = true;
    say("\nStopping; the data stay.");
    stop().then(() => process.exit(0));
  };
  process.on("SIGINT", interrupt);
  process.on("SIGTERM", interrupt);

  try {
    mkdirSync(state, { recursive: true, mode: 0o700 });
    chmodSync(state, 0o700);
    writeFileSync(join(state, "runner.pid"), String(process.pid));
    const database = await step("starting MariaDB on loopback", () => startMariaDb(join(state, "mariadb")));
    running.push({ name: "the database", end: database.stop });
    const password = keptSecret(join(state, "database-password"));
    await createDatabase(database, { ...DATABASE, password });
    const config = writeConfiguration(options, database.port, { receives: false });
    if (!existsSync(join(state, "keys.yaml"))) await lucchetto(["keys", "add", "--config", config]);
    await step("applying the schema", () => lucchetto(["schema", "apply", "--config", config]));

    const demo = await import("@lucchetto/demo");
    if (!existsSync(join(state, "loaded"))) await loadHistory({ demo, options, config, database, password });

    keptSecret(join(state, "webhook-secret"), demo.newWebhookSecret);
    writeConfiguration(options, database.port, { receives: true });
    const service = await step(`starting Lucchetto at ${options.url}`, () => startService(options, config));
    running.push(service);
    const app = await keepApp(demo, options, {
      file: "app.json",
      name: "Brina Huts",
      clientId: "brina-huts",
    });
    const desk = await keepApp(demo, options, {
      file: "desk.json",
      name: "Brina Huts, the desk",
      clientId: "brina-desk",
      ownForms: true,
    });
    running.push(
      await step(`starting the sample application at ${options.appUrl}`, () => startApp(options, app, desk)),
    );

    const facts = {
      url: options.url,
      appUrl: options.appUrl,
      database: {
        host: "127.0.0.1",
        port: database.port,
        user: DATABASE.user,
        password,
        name: DATABASE.name,
      },
      operator: { ...demo.OPERATOR },
      member: { ...demo.MEMBER },
      keeper: { ...demo.KEEPER, totpUri: keyUriOf(demo.KEEPER.email, state) },
      app,
    };
    writeSecret(join(state, "demo.json"), `${JSON.stringify(facts, null, 2)}\n`);
    sayFacts(facts, options);
    if (options.stopAfterStart) return await stop();
    await new Promise((_, reject) => {
      for (const { name, process: child } of running) {
        child?.once("exit", () => {
          if (!interrupted) reject(new Mendable(`${name} has ended by itself; its log is in ${state}`));
        });
      }
    });
  } catch (error) {
    if (interrupted) return;
    await stop();
    throw error;
  }
}

function readOptions() {
  let values;
  try {
    ({ values } = parseArgs({
      options: {
        fresh: { type: "boolean", default: false },
        port: { type: "string", default: "8420" },
        "app-port": { type: "string", default: "8421" },
        state: { type: "string", default: ".lucchetto" },
        "stop-after-start": { type: "boolean", default: false },
        watch: { type: "boolean", default: false },
        "as-built": { type: "boolean", default: false },
      },
    }));
  } catch (error) {
    throw new Mendable(
      `${error.message}\nUsage: npm run demo -- [--fresh] [--port 8420] [--app-port 8421] [--state .lucchetto]`,
      2,
    );
  }
  const port = readPort("--port", values.port);
  const appPort = readPort("--app-port", values["app-port"]);
  if (port === appPort) throw new Mendable("--port and --app-port are the same; give two ports.", 2);
  return {
    fresh: values.fresh,
    state: resolve(ROOT, values.state),
    stopAfterStart: values["stop-after-start"],
    watch: values.watch,
    asBuilt: values["as-built"],
    port,
    appPort,
    url: `http://localhost:${port}`,
    appUrl: `http://localhost:${appPort}`,
  };
}

function readPort(option, text) {
  const port = Number(text);
  if (Number.isInteger(port) && port > 0 && port < 65_536) return port;
  throw new Mendable(`${option}: found ${text}, expected a port from 1 to 65535`, 2);
}

async function assertPortsFree({ port, appPort }) {
  for (const [option, wanted, example] of [
    ["--port", port, port + 10],
    ["--app-port", appPort, appPort + 10],
  ]) {
    if (!(await isPortFree(wanted))) {
      throw new Mendable(`Port ${wanted} is in use. Take another: npm run demo -- ${option} ${example}`);
    }
  }
}

function pidIn(file) {
  if (!existsSync(file)) return null;
  const pid = Number(readFileSync(file, "utf8"));
  try {
    process.kill(pid, 0);
    return pid;
  } catch {
    return null;
  }
}

async function assertNotRunning(state) {
  const pid = pidIn(join(state, "runner.pid"));
  if (pid !== null && pid !== process.pid) {
    throw new Mendable(
      `The demo in ${state} is running already (process ${pid}). Stop it there with Ctrl-C, or take another folder and ports: npm run demo -- --state .lucchetto-2 --port 8430 --app-port 8431`,
    );
  }
  // A server that outlived its runner would hold the data.
  const orphan = pidIn(join(state, "mariadb", "pid"));
  if (orphan === null) return;
  say("ending the database of a demo that was cut off");
  process.kill(orphan, "SIGTERM");
  await waitUntil(async () => pidIn(join(state, "mariadb", "pid")) === null, {
    what: "The old database",
    seconds: 30,
  });
}

async function forget(state) {
  await assertNotRunning(state);
  if (!existsSync(state)) return;
  if (!["mariadb", "lucchetto.yaml", "runner.pid"].some((name) => existsSync(join(state, name)))) {
    throw new Mendable(`${state} does not look like a demo's folder, so it is not removed.`);
  }
  rmSync(state, { recursive: true });
  say(`forgot the data in ${state}`);
}

function writeSecret(file, text) {
  rmSync(file, { force: true });
  writeFileSync(file, text, { mode: 0o600 });
}

function keptSecret(file, make = randomPassword) {
  if (!existsSync(file)) writeSecret(file, make());
  return readFileSync(file, "utf8");
}

/** @param receives whether the sample application is there to be asked and told; while the history is played it is not. */
function writeConfiguration({ state, url, port, appUrl }, databasePort, { receives }) {
  const file = join(state, "lucchetto.yaml");
  writeFileSync(
    file,
    `# Written by the demo at each start.
mode: development
publicUrl: ${url}
listen: { host: 127.0.0.1, port: ${port} }
site: { name: Brina Huts }
database:
  url: mariadb://${DATABASE.user}@127.0.0.1:${databasePort}/${DATABASE.name}
  passwordFile: database-password
keys: { file: keys.yaml }
accounts: { email: optional, username: optional }
${receives ? webhooksOf(appUrl) : ""}`,
  );
  return file;
}

/** The demo goes on when its application is stopped; a real site keeps the default, which is to refuse. */
function webhooksOf(appUrl) {
  return `webhooks:
  secretFile: webhook-secret
  consult: { url: ${appUrl}/webhooks, whenSilent: allow }
  notify: { url: ${appUrl}/webhooks }
`;
}

function lucchetto(args, options) {
  return runCommand(process.execPath, [join(ROOT, "cli/bin/lucchetto.js"), ...args], options);
}

/** Starts one of our processes; its output goes to a log. Ctrl-C reaches only the runner. */
function startProcess(name, args, { log, env = {} }) {
  const output = openSync(log, "a", 0o600);
  const child = spawn(process.execPath, args, {
    stdio: ["ignore", output, output],
    env: { ...process.env, ...env },
    detached: true,
  });
  return { name, process: child, end: () => endProcess(child) };
}

async function waitForAnswer(started, address, log) {
  try {
    await waitUntil(async () => (await fetch(address)).ok, {
      what: started.name,
      seconds: START_SECONDS,
      ended: () => started.process.exitCode !== null,
    });
  } catch (error) {
    await started.end();
    const end = readFileSync(log, "utf8").trimEnd().split("\n").slice(-8).join("\n");
    throw new Mendable(`${error.message} Its log (${log}) ends with:\n${end}`);
  }
  return started;
}

function startService({ state, url, watch }, config, env = {}) {
  const log = join(state, "service.log");
  const args = [...watching(watch), join(ROOT, "service/dist/main.js"), "serve", "--config", config];
  return waitForAnswer(startProcess("Lucchetto", args, { log, env }), `${url}/readyz`, log);
}

/** Node starts the process again by itself when a loaded file changes. */
function watching(watch) {
  return watch ? ["--watch", "--watch-preserve-output"] : [];
}

function startApp({ state, url, appUrl, appPort, watch }, app, desk) {
  const log = join(state, "app.log");
  const env = {
    BRINA_PORT: String(appPort),
    LUCCHETTO_SERVICE: url,
    LUCCHETTO_CLIENT_ID: app.clientId,
    LUCCHETTO_APP_KEY: app.key,
    BRINA_DESK_KEY: desk.key,
    BRINA_WEBHOOK_SECRET: readFileSync(join(state, "webhook-secret"), "utf8"),
  };
  const args = [...watching(watch), join(ROOT, "demo/dist/app/main.js")];
  return waitForAnswer(startProcess("the sample application", args, { log, env }), appUrl, log);
}

/**
 * Thirty days of history, made by real calls under a moved clock: first under an older scheme, then under the present
 * one, so that some records are older than configured. If it was cut off before, it begins anew.
 */
async function loadHistory({ demo, options, config, database, password }) {
  const { state, url } = options;
  await database.admin(`DROP DATABASE IF EXISTS ${DATABASE.name};`);
  await createDatabase(database, { ...DATABASE, password });
  await lucchetto(["schema", "apply", "--config", config]);
  // Made-up networks come in a header, which only a trusted proxy may set; this is so while loading alone.
  const asProxy = { LUCCHETTO_TRUSTED_PROXIES: "[127.0.0.1]", LUCCHETTO_LOG_LEVEL: "warn" };
  const stretches = [
    ...demo.OLD_SCHEMES.map(({ scheme, from, to }) => ({
      from,
      to,
      env: { ...asProxy, LUCCHETTO_PASSWORDS_HASHING_SCHEME: scheme },
    })),
    { from: demo.SCHEME_CHANGED, to: 0, env: asProxy },
  ];
  const authenticators = keepAuthenticators(options);
  for (const [index, { from, to, env }] of stretches.entries()) {
    const what = ["the first weeks of Brina Huts", "the weeks after them", "the weeks since then"][index];
    const service = await startService(options, config, env);
    try {
      await step(`playing ${what}`, async () => {
        if (index === 0) {
          await lucchetto(["clock", "advance", "--url", url, "--", `-${DAYS_OF_HISTORY}d`]);
          const args = [
            "operator",
            "add",
            "--email",
            demo.OPERATOR.email,
            "--name",
            "The office",
            "--password-stdin",
          ];
          await lucchetto([...args, "--config", config], { input: demo.OPERATOR.password });
        }
        const progress = sayProgress();
        await demo.load({ url, operator: demo.OPERATOR, from, to, authenticators, progress });
        if (index === stretches.length - 1) await lucchetto(["clock", "reset", "--url", url]);
      });
    } finally {
      await service.end();
    }
  }
  writeFileSync(join(state, "loaded"), new Date().toISOString());
}

/** The people's authenticator apps: their key URIs in a file, their codes by the command. */
function keepAuthenticators({ state, url }) {
  const file = join(state, AUTHENTICATORS);
  const kept = {};
  return {
    keep(email, uri) {
      kept[email] = uri;
      writeSecret(file, `${JSON.stringify(kept, null, 2)}\n`);
    },
    async code(email) {
      const args = ["totp", "code", "--secret-stdin", "--json", "--url", url];
      return JSON.parse(await lucchetto(args, { input: kept[email] })).code;
    },
  };
}

/** A bar on a terminal; piped, a line at each quarter. */
function sayProgress() {
  let quarter = 0;
  return (done, all) => {
    if (process.stdout.isTTY) {
      const filled = Math.round((done / all) * 30);
      process.stdout.write(`\r  [${"█".repeat(filled)}${"·".repeat(30 - filled)}] ${done} of ${all}`);
      if (done === all) process.stdout.write("\r\u001b[2K");
      return;
    }
    const now = Math.floor((done / all) * 4);
    if (now > quarter) say(`  ${done} of ${all}`);
    quarter = now;
  };
}

/** A registration of the sample application: kept, and made anew when the ports have changed. */
async function keepApp(demo, { state, url, appUrl, appPort }, { file: fileName, clientId: wanted, ...more }) {
  const file = join(state, fileName);
  const redirectUri = `${appUrl}/signed-in`;
  const kept = existsSync(file) ? JSON.parse(readFileSync(file, "utf8")) : null;
  if (kept?.redirectUri === redirectUri) return kept;
  const { clientId, key } = await demo.registerApp(url, demo.OPERATOR, {
    ...more,
    clientId: kept === null ? wanted : `${wanted}-${appPort}-${Date.now().toString(36)}`,
    redirectUri,
    signedOutUri: `${appUrl}/signed-out`,
  });
  const app = { clientId, key, redirectUri };
  writeSecret(file, JSON.stringify(app));
  return app;
}

/** As one types it. */
function secretOf(uri) {
  return uri === undefined ? "of its own" : new URL(uri).searchParams.get("secret");
}

function keyUriOf(email, state) {
  const file = join(state, AUTHENTICATORS);
  return existsSync(file) ? JSON.parse(readFileSync(file, "utf8"))[email] : undefined;
}

function sayFacts({ url, appUrl, database, operator, member, keeper }, { state }) {
  say(`
Brina Huts is open.

  the sample application   ${appUrl}
  people's pages           ${url}/sign-in
  operators' console       ${url}/console
  the calls                ${url}/docs

  operator   ${operator.email}   ${operator.password}
  member     ${member.email}   ${member.password}
  keeper     ${keeper.email}   ${keeper.password}   (asks for a code: npx lucchetto totp code, with the secret ${secretOf(keeper.totpUri)})

  database   mariadb -h 127.0.0.1 -P ${database.port} -u ${database.user} -p ${database.name}   (password in ${join(state, "demo.json")})
  command    npx lucchetto sign-in ${operator.email} --url ${url}

Ctrl-C stops everything; the data stay in ${state}.`);
}
