/** The demo's folder: who runs in it, its secrets, its configuration. */
import { existsSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { randomPassword } from "../../scripts/mariadb.mjs";
import { waitUntil } from "../../scripts/process.mjs";
import { say, UserError } from "../../scripts/say.mjs";

/** The database, and its user. */
export const DATABASE = { name: "lucchetto", user: "lucchetto" };

export async function assertNotRunning(state) {
  const pid = pidIn(join(state, "runner.pid"));
  if (pid !== null && pid !== process.pid) {
    throw new UserError(
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

function pidIn(file) {
  if (!existsSync(file)) return null;
  const pid = Number(readFileSync(file, "utf8"));
  try {
    process.kill(pid, 0);
    return pid;
  } catch {
    // No such process any more: the file was left behind.
    return null;
  }
}

export async function forget(state) {
  await assertNotRunning(state);
  if (!existsSync(state)) return;
  if (!["mariadb", "lucchetto.yaml", "runner.pid"].some((name) => existsSync(join(state, name)))) {
    throw new UserError(`${state} does not look like a demo's folder, so it is not removed.`);
  }
  rmSync(state, { recursive: true });
  say(`forgot the data in ${state}`);
}

export function writeSecret(file, text) {
  rmSync(file, { force: true });
  writeFileSync(file, text, { mode: 0o600 });
}

export function keptSecret(file, make = randomPassword) {
  if (!existsSync(file)) writeSecret(file, make());
  return readFileSync(file, "utf8");
}

/** @param receives whether the sample application is there to be asked and told; while the history is played it is not. */
export function writeConfiguration({ state, url, port, appUrl }, databasePort, { receives }) {
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
