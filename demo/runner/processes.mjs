/** The processes of the demo: the command, the service, the sample application. */
import { spawn } from "node:child_process";
import { existsSync, openSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { ROOT } from "../../scripts/prerequisites.mjs";
import { endProcess, runCommand, waitUntil } from "../../scripts/process.mjs";
import { step, UserError } from "../../scripts/say.mjs";

/** Far more than a slow machine needs that does other things too. */
const START_SECONDS = 120;
/** Names the build whose schema the database has. */
export const SCHEMA_OF = "schema-of";

export function lucchetto(args, options) {
  return runCommand(process.execPath, [join(ROOT, "cli/bin/lucchetto.js"), ...args], options);
}

/** Applies the schema, unless this very build has done so. */
export async function applySchema({ state }, config) {
  const kept = join(state, SCHEMA_OF);
  const build = readFileSync(join(ROOT, "service/dist/.made-of"), "utf8");
  if (existsSync(kept) && readFileSync(kept, "utf8") === build) return;
  await step("applying the schema", () => lucchetto(["schema", "apply", "--config", config]));
  writeFileSync(kept, build);
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
    throw new UserError(`${error.message} Its log (${log}) ends with:\n${end}`);
  }
  return started;
}

export function startService({ state, url, watch }, config, env = {}) {
  const log = join(state, "service.log");
  const args = [
    ...watching(watch),
    join(ROOT, "service/dist/process/start.cjs"),
    watch ? "develop" : "serve",
    "--config",
    config,
  ];
  return waitForAnswer(startProcess("Lucchetto", args, { log, env }), `${url}/readyz`, log);
}

/** Node starts the process again by itself when a loaded file changes. */
function watching(watch) {
  return watch ? ["--watch", "--watch-preserve-output"] : [];
}

export function startApp({ state, url, appUrl, appPort, watch }, { app }) {
  const log = join(state, "app.log");
  const env = {
    BRINA_PORT: String(appPort),
    LUCCHETTO_SERVICE: url,
    LUCCHETTO_CLIENT_ID: app.clientId,
    LUCCHETTO_APP_KEY: app.key,
    BRINA_WEBHOOK_SECRET: readFileSync(join(state, "webhook-secret"), "utf8"),
  };
  const args = [...watching(watch), join(ROOT, "demo/dist/app/main.js")];
  return waitForAnswer(startProcess("the sample application", args, { log, env }), appUrl, log);
}
