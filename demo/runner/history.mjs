/** Thirty days of history, played by real calls under a moved clock. */
import { existsSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { availableParallelism } from "node:os";
import { join } from "node:path";
import { createDatabase } from "../../scripts/mariadb.mjs";
import { say, step } from "../../scripts/say.mjs";
import { applySchema, lucchetto, SCHEMA_OF, startService } from "./processes.mjs";
import { DATABASE, writeSecret } from "./state.mjs";

const AUTHENTICATORS = "authenticators.json";
const PASSKEYS = "passkeys.json";
const DAYS_OF_HISTORY = 30;
/** Whoever sets it has all of the history under that one. */
const SCHEME = "LUCCHETTO_PASSWORDS_HASHING_SCHEME";

/**
 * Thirty days of history, made by real calls under a moved clock: first under an older scheme, then under the present
 * one, so that some records are older than configured. If it was cut off before, it begins anew.
 */
export async function loadHistory({ demo, options, config, database, password }) {
  const { state, url } = options;
  await database.admin(`DROP DATABASE IF EXISTS ${DATABASE.name};`);
  await createDatabase(database, { ...DATABASE, password });
  rmSync(join(state, SCHEMA_OF), { force: true });
  await applySchema(options, config);
  // Made-up networks come in a header, which only a trusted proxy may set; this is so while loading alone.
  const asProxy = {
    LUCCHETTO_TRUSTED_PROXIES: "[127.0.0.1]",
    LUCCHETTO_LOG_LEVEL: "warn",
    ...hashingOfAll(),
  };
  const stretches = [
    ...demo.OLD_SCHEMES.map(({ scheme, from, to }) => ({
      from,
      to,
      env: { ...asProxy, [SCHEME]: process.env[SCHEME] ?? scheme },
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
  // Only what is on the disk is called loaded.
  await database.keepSafely();
  writeFileSync(join(state, "loaded"), new Date().toISOString());
}

/** While the history is played nobody else waits for a core; and it waits as long as a slow machine takes. */
function hashingOfAll() {
  return {
    LUCCHETTO_PASSWORDS_HASHING_PARALLEL: String(availableParallelism()),
    LUCCHETTO_PASSWORDS_HASHING_WAIT: "10m",
    LUCCHETTO_DATABASE_DEADLINE: "1m",
  };
}

/**
 * The people's authenticators: of apps the key URIs in a file, their codes by the command; passkeys of an authenticator in
 * software, with their private keys.
 */
function keepAuthenticators({ state, url }) {
  const file = join(state, AUTHENTICATORS);
  const kept = {};
  const keptPasskeys = {};
  return {
    keep(email, uri) {
      kept[email] = uri;
      writeSecret(file, `${JSON.stringify(kept, null, 2)}\n`);
    },
    keepPasskey(email, passkey) {
      keptPasskeys[email] = passkey;
      writeSecret(passkeyFile(state), `${JSON.stringify(keptPasskeys, null, 2)}\n`);
    },
    passkey: (email) => keptPasskeys[email],
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

export function keyUriOf(email, state) {
  const file = join(state, AUTHENTICATORS);
  return existsSync(file) ? JSON.parse(readFileSync(file, "utf8"))[email] : undefined;
}

/** Where the passkeys of the made-up people lie, by address. */
export function passkeyFile(state) {
  return join(state, PASSKEYS);
}
