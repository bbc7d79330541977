/**
 * The real service on a real MariaDB and a real port, with its clock and its log in the test's hands: from its sources, in the test's
 * own process. What is shipped is started by `shipped-service.ts`.
 */
import { randomBytes } from "node:crypto";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { Writable } from "node:stream";
import type { Client } from "@lucchetto/contract";
import { createClient, routes } from "@lucchetto/contract";
import { isLoopbackHost } from "@lucchetto/core";
import type { Clock, Configuration, MovableClock } from "@lucchetto/service";
import {
  createDataSource,
  createMovableClock,
  createService,
  loadConfiguration,
  systemClock,
} from "@lucchetto/service";
import { pino } from "pino";
import type { DataSource } from "typeorm";
import { freePort } from "../scripts/process.mjs";
import type { TestDatabase } from "./database.ts";
import { createTestDatabase } from "./database.ts";
import { eventually } from "./eventually.ts";
import { enrolAuthenticator } from "./second-factor.ts";

export { freePort };

/** Milliseconds that a call is waited for: sixty at once take their time on a slow machine. */
const MAX_CALL_MILLISECONDS = 300_000;
/** Cheap, for tests in which cost is not the matter. */
export const CHEAP_SCHEME = "$scrypt$ln=8,r=8,p=1";
/** The cheapest that production takes. */
export const PRODUCTION_SCHEME = "$pbkdf2-sha512$i=210000";
export const PASSWORD = "a good long password";

export interface TestService {
  readonly url: string;
  readonly configuration: Configuration;
  readonly configFile: string;
  readonly keys: object;
  readonly database: TestDatabase;
  readonly dataSource: DataSource;
  readonly clock: MovableClock;
  /** What the clock moves on from; instances beside each other share it. */
  readonly machine: Clock;
  /** Everything that was logged so far. */
  readonly log: () => string;
  /** Calls as nobody. */
  readonly client: Client;
  as(token: string): Client;
  /** Registers and returns the own token. */
  register(email: string, password?: string): Promise<{ id: string; token: string }>;
  signIn(identifier: string, password?: string, extra?: { remember?: boolean }): Promise<string>;
  /** An operator's own token. */
  operator(): Promise<string>;
  stop(): Promise<void>;
}

/** One in the test's own process. */
export interface InProcessService extends TestService {
  /** Runs what otherwise runs once a minute: what has had its time goes. */
  sweep(): Promise<void>;
}

/**
 * A clock that stands between two looks, so that a slow machine changes nothing. With each look a millisecond passes: what
 * happens later has the later time.
 */
function standingClock(): Clock {
  let time = systemClock.now().getTime();
  return { now: () => new Date((time += 1)) };
}

export interface TestServiceOptions {
  /** Settings as environment variables, on top of the tests' own. */
  readonly settings?: Readonly<Record<string, string>>;
  /** Beside another instance on the same database. */
  readonly beside?: TestService;
  /** A database in place of a fresh one. */
  readonly database?: TestDatabase;
  /** A key ring in place of one made up. */
  readonly keys?: object;
  /** Time passes by itself, for what is timed by others too: browsers, authenticator apps, mail servers. */
  readonly timePasses?: boolean;
  /** Public address in place of the one that is listened at; `{port}` is filled in. One that is not loopback means production. */
  readonly publicUrl?: string;
  /** With looking inside, as development has it. It is off for the rest: it takes a sixth of a test's time. */
  readonly looksInside?: boolean;
}

/** What a service needs in production, at https://accounts.brina.example behind a proxy. */
export const PRODUCTION = {
  LUCCHETTO_MODE: "production",
  LUCCHETTO_PASSWORDS_HASHING_SCHEME: PRODUCTION_SCHEME,
  LUCCHETTO_MAIL_VIA: "none",
} as const;

/** Production as a public address asks for it, and otherwise as tests expect a service. */
const FOR_OTHERS = {
  ...PRODUCTION,
  LUCCHETTO_ACCOUNTS_TELL_TAKEN: "true",
  LUCCHETTO_ACCOUNTS_VERIFY_EMAIL: "reminded",
} as const;

/** Starts one in production. @param settings on top of what it needs. */
export const startProduction = (settings: Readonly<Record<string, string>> = {}): Promise<InProcessService> =>
  startService({ publicUrl: "https://accounts.brina.example", settings: { ...PRODUCTION, ...settings } });

/** What an instance stands on, and how it is called, whatever it is made of. */
export interface Place extends Omit<TestService, "clock" | "machine" | "log" | "stop"> {
  /** Environment variables that hold its settings and secrets. */
  readonly environment: Readonly<Record<string, string>>;
  /** Drops what it stood on. */
  clear(): Promise<void>;
}

/** Makes a configuration, a database unless there is one, and the ways to call what will listen there. */
export async function preparePlace(options: TestServiceOptions = {}): Promise<Place> {
  const database = options.beside?.database ?? options.database ?? (await createTestDatabase());
  const port = await freePort();
  const directory = mkdtempSync(join(tmpdir(), "lucchetto-test-"));
  const configFile = join(directory, "lucchetto.yaml");
  const keys = options.keys ??
    options.beside?.keys ?? { current: "k1", keys: { k1: randomBytes(32).toString("base64url") } };
  const publicUrl = (options.publicUrl ?? "http://localhost:{port}").replace("{port}", String(port));
  writeFileSync(
    configFile,
    JSON.stringify({
      mode: "development",
      publicUrl,
      listen: { port, hosts: ["localhost", "127.0.0.1"] },
      site: { name: "Brina Huts" },
      lookInside: options.looksInside === true ? "on" : "off",
      // Locks that a test holds on purpose are waited for, however slow the machine is.
      database: { url: database.url, deadline: "10m" },
      accounts: { email: "optional", username: "optional" },
      keys: { file: "keys.yaml" },
      // What a test does in a second from one address, people do in weeks from many.
      throttle: { network: { most: 100_000 }, registrations: { most: 100_000 } },
      passwords: { hashing: { scheme: CHEAP_SCHEME, parallel: 4, wait: "10m" } },
    }),
  );
  writeFileSync(join(directory, "keys.yaml"), JSON.stringify(keys), { mode: 0o600 });
  const environment = {
    LUCCHETTO_DATABASE_PASSWORD: database.password,
    ...(isLoopbackHost(new URL(publicUrl).hostname) ? {} : FOR_OTHERS),
    ...options.settings,
  };
  const clear = async (): Promise<void> => {
    rmSync(directory, { recursive: true });
    if (options.beside === undefined) await database.drop();
  };
  const configuration = loadConfiguration(configFile, environment);
  const dataSource = await createDataSource(configuration).initialize();
  if (options.database !== undefined) await dataSource.runMigrations({ transaction: "each" });

  // Where it listens, with the path of the public address.
  const url = `http://localhost:${port}${new URL(publicUrl).pathname.replace(/\/$/, "")}`;
  const client = createClient({ baseUrl: url, timeout: MAX_CALL_MILLISECONDS });
  const as = (token: string) => createClient({ baseUrl: url, token, timeout: MAX_CALL_MILLISECONDS });
  const signIn: TestService["signIn"] = async (identifier, password = PASSWORD, extra = {}) => {
    const proof = { type: "password", identifier, password } as const;
    const { body } = await client(routes.signIn, { body: { proof, deliver: "token", ...extra } });
    return body.token as string;
  };
  const register: TestService["register"] = async (email, password = PASSWORD) => {
    const reply = await client(routes.register, { body: { email, password, deliver: "token" } });
    if (reply.status !== 201) throw new Error("the site does not tell");
    return { id: reply.body.account.id, token: reply.body.token as string };
  };

  /** Of an operator in production. */
  let atLevel2: string | null = null;

  return {
    url,
    configuration,
    configFile,
    environment,
    keys,
    database,
    dataSource,
    client,
    as,
    register,
    signIn,
    async operator() {
      const email = "office@brina.example";
      const known = await dataSource.query("SELECT id FROM account WHERE emailKey = ?", [email]);
      if (known.length > 0) return atLevel2 ?? signIn(email);
      const { id, token } = await register(email);
      // Where operators change nothing without a second factor.
      if (configuration.mode === "production")
        atLevel2 = (await enrolAuthenticator({ as, clock: systemClock }, token)).token;
      await dataSource.query("UPDATE account SET labels = '[\"operator\"]' WHERE id = ?", [id]);
      return atLevel2 ?? signIn(email);
    },
    async clear() {
      await dataSource.destroy();
      await clear();
    },
  };
}

/** Starts a service from its sources. */
export async function startService(options: TestServiceOptions = {}): Promise<InProcessService> {
  const place = await preparePlace(options);
  const { configuration, dataSource } = place;
  const machine = options.beside?.machine ?? (options.timePasses === true ? systemClock : standingClock());
  const clock = createMovableClock(dataSource, machine);
  await clock.refresh();
  const lines: string[] = [];
  const sink = new Writable({
    write(chunk: Buffer, _encoding, done) {
      lines.push(chunk.toString());
      done();
    },
  });
  const app = await createService({
    configuration,
    dataSource,
    clock,
    logger: pino({ level: "debug" }, sink),
  }).catch(async (error: unknown) => {
    await place.clear();
    throw error;
  });
  await app.listen(configuration.listen);
  return {
    ...place,
    clock,
    machine,
    log: () => lines.join(""),
    sweep: () => app.sweep(),
    async stop() {
      await app.close();
      await place.clear();
    },
  };
}

/** A plain request, for what the typed client would not send. */
export async function send(
  service: Pick<TestService, "url">,
  method: string,
  path: string,
  options: { body?: BodyInit | null; headers?: Record<string, string> } = {},
): Promise<{ status: number; headers: Headers; text: string; json: <T = Record<string, unknown>>() => T }> {
  const response = await fetch(service.url + path, {
    method,
    headers: options.headers ?? {},
    redirect: "manual",
    ...(options.body === undefined ? {} : { body: options.body }),
  });
  const text = await response.text();
  return { status: response.status, headers: response.headers, text, json: <T>() => JSON.parse(text) as T };
}

/** A JSON body with its header. */
export function json(value: unknown): { body: string; headers: Record<string, string> } {
  return { body: JSON.stringify(value), headers: { "content-type": "application/json" } };
}

/** Waits until a session's use of a moment ago is written: uses are gathered for a second. */
export async function useWritten({ dataSource, clock }: TestService): Promise<void> {
  const wanted = clock.now().getTime() - 5_000;
  await eventually(async () => {
    const [row] = await dataSource.query<Array<{ at: Date }>>("SELECT MAX(lastSeenAt) AS at FROM session");
    return row !== undefined && new Date(row.at).getTime() >= wanted;
  }, "a use that is written");
}
