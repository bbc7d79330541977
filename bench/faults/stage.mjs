/**
 * What the faults are played on: a MariaDB that can fall silent, a mail server that keeps what it gets, and instances of the real
 * service in production mode, all on this machine.
 */
import { fork, spawn } from "node:child_process";
import { createHash, randomBytes } from "node:crypto";
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { connect, createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { createConnection } from "mysql2/promise";
import { createDatabase, randomPassword, startMariaDb } from "../../scripts/mariadb.mjs";
import { freePort, runCommand, waitUntil } from "../../scripts/process.mjs";
import { say } from "../../scripts/say.mjs";

const MAIN = fileURLToPath(new URL("../../service/dist/process/start.cjs", import.meta.url));
export const PASSWORD = "a good long password";

/** Stands between services and database. Silent, it takes what it is sent and gives nothing on. */
async function startProxy(to) {
  let isSilent = false;
  const pairs = new Set();
  const server = createServer((client) => {
    const database = connect(to, "127.0.0.1");
    const pair = [client, database];
    pairs.add(pair);
    client.on("data", (chunk) => isSilent || database.write(chunk));
    database.on("data", (chunk) => isSilent || client.write(chunk));
    for (const side of pair) {
      side.on("error", () => undefined);
      side.on("close", () => {
        pairs.delete(pair);
        for (const other of pair) other.destroy();
      });
    }
  });
  await new Promise((resolve) => server.listen(0, "127.0.0.1", resolve));
  return {
    port: server.address().port,
    /** @param value whether nothing passes any more, on new connections neither. */
    silence: (value) => (isSilent = value),
    close() {
      server.close();
      for (const pair of pairs) for (const side of pair) side.destroy();
    },
  };
}

/**
 * Sets it up; `instances` services listen when it resolves. A stage that cannot be set leaves nothing running.
 * @param data folder of the database; one beside the rest if left out. @param environment of the services' processes.
 */
export async function setStage(options = {}) {
  const strikes = [];
  const strike = async () => {
    for (const one of strikes.splice(0).reverse()) await one();
  };
  try {
    return { ...(await build(options, strikes)), strike };
  } catch (error) {
    await strike();
    throw error;
  }
}

/** @param strikes what is done at the end, the last first. */
async function build({ instances = 2, settings = {}, secrets = {}, data, environment = {} }, strikes) {
  const directory = mkdtempSync(join(tmpdir(), "lucchetto-faults-"));
  strikes.push(() => rmSync(directory, { recursive: true, force: true }));
  const server = await startMariaDb(data ?? directory, { lazyFlush: true });
  strikes.push(() => server.stop());
  const password = randomPassword();
  await createDatabase(server, { name: "lucchetto", user: "lucchetto", password });
  const proxy = await startProxy(server.port);
  strikes.push(() => proxy.close());
  const mail = fork(fileURLToPath(new URL("mailbox.mjs", import.meta.url)));
  strikes.push(() => mail.disconnect());
  const mailPort = await new Promise((resolve) => mail.once("message", resolve));
  const keys = { current: "k1", keys: { k1: randomBytes(32).toString("base64url") } };
  writeFileSync(join(directory, "keys.yaml"), JSON.stringify(keys), { mode: 0o600 });
  const env = { ...process.env, ...secrets, ...environment, LUCCHETTO_DATABASE_PASSWORD: password };
  const database = await createConnection({
    host: "127.0.0.1",
    port: server.port,
    user: "lucchetto",
    password,
    database: "lucchetto",
  });
  strikes.push(() => database.end());

  async function start(number) {
    const port = ports[number];
    const config = join(directory, `instance-${number}.yaml`);
    const configuration = {
      mode: "production",
      publicUrl: "https://accounts.brina.example",
      listen: { port, hosts: ["127.0.0.1"] },
      log: { level: "silent" },
      keys: { file: "keys.yaml" },
      database: { url: `mariadb://lucchetto@127.0.0.1:${proxy.port}/lucchetto` },
      accounts: { tellTaken: true, verifyEmail: "reminded" },
      throttle: { network: { most: 1_000_000 }, registrations: { most: 1_000_000 } },
      passwords: { hashing: { scheme: "$scrypt$ln=15,r=8,p=3" } },
      mail: { from: "Brina Huts <huts@brina.example>", smtp: { url: `smtp://127.0.0.1:${mailPort}` } },
      ...settings,
    };
    writeFileSync(config, JSON.stringify(configuration));
    if (number === 0 && !isApplied)
      await runCommand(process.execPath, [MAIN, "schema-apply", "--config", config], { env });
    isApplied = true;
    const child = spawn(process.execPath, [MAIN, "serve", "--config", config], {
      stdio: ["ignore", "ignore", "inherit"],
      env,
    });
    strikes.push(() => child.kill("SIGKILL"));
    const url = `http://127.0.0.1:${port}`;
    await waitUntil(async () => (await fetch(`${url}/readyz`)).ok, {
      what: `instance ${number}`,
      seconds: 60,
      ended: () => child.exitCode !== null,
    });
    const ended = new Promise((resolve) => child.once("exit", (code, signal) => resolve(code ?? signal)));
    running[number] = { child, url, ended };
    return running[number];
  }

  let isApplied = false;
  const running = [];
  const ports = [];
  for (let number = 0; number < instances; number += 1) {
    ports.push(await freePort());
    await start(number);
  }

  return {
    proxy,
    database,
    /** Where the server's own socket is, for its programs. */
    socket: server.socket,
    password,
    urls: ports.map((port) => `http://127.0.0.1:${port}`),
    running,
    start,
    /** An app, for checks. @returns its Authorization header. */
    async addApp() {
      const key = `lcp_${randomBytes(32).toString("base64url")}`;
      const hash = createHash("sha256").update(key).digest();
      const id = "01900001-0000-7000-8000-000000000001";
      await database.query(
        "INSERT INTO app (id, clientId, name, redirectUris, signedOutUris, createdAt) VALUES (?, 'huts', 'Huts', '[]', '[]', UTC_TIMESTAMP(3))",
        [id],
      );
      await database.query(
        "INSERT INTO app_key (id, appId, keyHash, createdAt) VALUES ('01900001-0000-7000-8000-000000000002', ?, ?, UTC_TIMESTAMP(3))",
        [id, hash],
      );
      return `Basic ${Buffer.from(`huts:${key}`).toString("base64")}`;
    },
    /** What the mail server accepted: address and Message-ID of each. */
    mails: () =>
      new Promise((resolve) => {
        mail.once("message", resolve);
        mail.send("what");
      }),
    /** @param mode how the mail server falls: `hang`, `refuse`, `cut`; `well` again. */
    letMailFall: (mode) => mail.send(mode),
  };
}

/** Open descriptors and resident memory of a process. */
export function resourcesOf({ pid }) {
  const status = readFileSync(`/proc/${pid}/status`, "utf8");
  return {
    descriptors: readdirSync(`/proc/${pid}/fd`).length,
    megabytes: Number(/VmRSS:\s+(\d+)/.exec(status)[1]) / 1_024,
  };
}

/** What makes a stage tell a receiver at this port. Production speaks https alone, which is not the matter here. */
export function tellingReceiver(port) {
  return {
    settings: {
      mode: "development",
      publicUrl: "http://localhost",
      webhooks: { notify: { url: `http://127.0.0.1:${port}/` }, privateReceivers: ["127.0.0.1"] },
    },
    secrets: { LUCCHETTO_WEBHOOKS_SECRET: `whsec_${randomBytes(32).toString("base64")}` },
  };
}

/** Says how a fault ended. Each line: what was wanted, what came. */
export function judge(title, lines) {
  say(`\n${title}`);
  for (const { wanted, came, holds } of lines) say(`  ${holds ? "PASS" : "FAIL"}  ${wanted}: ${came}`);
  if (!lines.every(({ holds }) => holds)) process.exitCode = 1;
}
