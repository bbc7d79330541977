/**
 * `setup-…`: the steps that make an installation from nothing. Each looks first and does only what is missing, so that
 * all of them can be run again.
 */
import { randomBytes } from "node:crypto";
import { existsSync, mkdirSync, readFileSync } from "node:fs";
import { dirname, resolve } from "node:path";
import { isLoopbackHost, OPERATOR_LABEL } from "@lucchetto/core";
import type { Connection, RowDataPacket } from "mysql2/promise";
import { createConnection } from "mysql2/promise";
import type { DataSource } from "typeorm";
import { stringify } from "yaml";
import { createMovableClock } from "../../base/clock/clock.ts";
import type { Configuration } from "../../base/config/index.ts";
import {
  checkConfiguration,
  ConfigurationError,
  keyRingFile,
  loadConfiguration,
  readSetting,
  variableOf,
  withoutPasswords,
} from "../../base/config/index.ts";
import { ProblemReply } from "../../base/problem.ts";
import { replaceFile } from "../../base/replace-file.ts";
import { openDatabase, openWithoutDeadline, readList } from "../../base/storage/index.ts";
import { addApp } from "../../edges/app/app.ts";
import { addOperator } from "../../flows/registration/add-operator.ts";
import type { DirectEnrolment } from "../../people/second-factor/enrol-directly.ts";
import { BY_COMMAND, sealingKeysOf } from "../../records/context.ts";
import { addKey, listKeys } from "./keys.ts";

/** A step cannot be done with what was given. The message says what to correct. */
class SetupRefusal extends Error {
  override readonly name = "SetupRefusal";
}

/** What a step did: `made` now, or `there` already; `kept` is what an option would have otherwise. */
interface StepDone {
  readonly outcome: "made" | "there" | "kept";
  readonly detail: string;
}

const PASSWORD_FILE = "database-password";
const MAIL_PASSWORD_FILE = "mail-password";

export interface ConfigurationWish {
  readonly siteName: string;
  readonly publicUrl: string;
  readonly databaseUrl: string;
  /** The mail server, without a password; `null`: none. */
  readonly smtpUrl: string | null;
  readonly mailFrom: string | null;
}

/** What was given as options; of what is there already it changes nothing. */
export type GivenSettings = {
  readonly [Name in keyof ConfigurationWish]?: ConfigurationWish[Name] | undefined;
};

/**
 * Which of the options an existing configuration does not follow. They are checked all the same.
 * @throws ConfigurationError for a value that no configuration could have.
 */
export function keptSettings(path: string, given: GivenSettings): StepDone[] {
  const { site, publicUrl, database } = loadConfiguration(path);
  const there: ConfigurationWish = {
    siteName: site.name,
    publicUrl,
    databaseUrl: database.url,
    smtpUrl: readSetting(path, "mail.smtp.url") ?? null,
    mailFrom: readSetting(path, "mail.from") ?? null,
  };
  const names = Object.keys(there) as Array<keyof ConfigurationWish>;
  const draft = { ...there };
  for (const name of names) Object.assign(draft, { [name]: given[name] ?? there[name] });
  judgeConfiguration(path, { ...draft, mailFrom: draft.smtpUrl === null ? null : draft.mailFrom });
  return names
    .filter((name) => draft[name] !== there[name])
    .map((name) => {
      const { option, setting } = SETTINGS[name];
      const is = there[name] === null ? "is not set" : `is ${there[name]}`;
      const variable = variableOf(setting);
      const remedy = process.env[variable] === undefined ? `edit ${path}` : `set ${variable}`;
      const detail = `${setting} ${is}, though ${option} says ${draft[name]}; to change it, ${remedy}`;
      return { outcome: "kept", detail: withoutPasswords(detail) };
    });
}

const SETTINGS: Readonly<Record<keyof ConfigurationWish, { option: string; setting: string }>> = {
  siteName: { option: "--site-name", setting: "site.name" },
  publicUrl: { option: "--public-url", setting: "publicUrl" },
  databaseUrl: { option: "--database", setting: "database.url" },
  smtpUrl: { option: "--smtp", setting: "mail.smtp.url" },
  mailFrom: { option: "--mail-from", setting: "mail.from" },
};

/** Writes the configuration and a key ring beside it, unless they are there. A wrong value is told as at the start. */
export function setUpConfiguration(path: string, wish: ConfigurationWish | null): StepDone[] {
  const steps: StepDone[] = [];
  if (existsSync(path)) steps.push({ outcome: "there", detail: `configuration ${path}` });
  else if (wish === null) throw new SetupRefusal(`There is no configuration at ${path} yet.`);
  else {
    mkdirSync(dirname(resolve(path)), { recursive: true });
    replaceFile(path, configurationText(wish), 0o644);
    steps.push({ outcome: "made", detail: `configuration ${path}` });
    steps.push(...keepMailPassword(path));
  }
  const ring = keyRingFile(path);
  if (listKeys(ring).ids.length > 0) steps.push({ outcome: "there", detail: `key ring ${ring}` });
  else {
    addKey(ring);
    steps.push({ outcome: "made", detail: `key ring ${ring}, with a fresh key` });
  }
  return steps;
}

/** A service is not given its mail password at every start: it is kept in a file of its own. */
function keepMailPassword(path: string): StepDone[] {
  const password = process.env["LUCCHETTO_MAIL_SMTP_PASSWORD"];
  if (password === undefined) return [];
  const file = resolve(dirname(path), MAIL_PASSWORD_FILE);
  replaceFile(file, password, 0o600);
  return [{ outcome: "made", detail: `password for the mail server in ${file}` }];
}

/** Whether the values would do, before anything is written. @throws ConfigurationError. */
export function judgeConfiguration(path: string, wish: ConfigurationWish): void {
  try {
    checkConfiguration(settingsOf(wish, { withFiles: false }), dirname(resolve(path)));
  } catch (error) {
    if (!(error instanceof ConfigurationError)) throw error;
    const faults = error.faults.filter((fault) => !fault.startsWith("keys.file: missing"));
    if (faults.some((fault) => fault.startsWith("publicUrl: "))) faults.push(...needsOfPublic(wish));
    if (faults.length > 0) throw new ConfigurationError("what was given", faults);
  }
}

/** What an address that others can reach asks for, said with the faults that it has. */
function needsOfPublic({ publicUrl, smtpUrl }: ConfigurationWish): string[] {
  if (!isForOthers(publicUrl)) return [];
  const mail = smtpUrl === null ? " Name a mail server with --smtp, or nobody can reset a password." : "";
  return [
    `An address that others can reach means production, which needs https. Put a proxy with a certificate in front and give its address: --public-url https://${new URL(publicUrl).host}.${mail} For this machine alone: --public-url http://localhost:8420`,
  ];
}

/** Over https, or by a name that is not this machine alone. */
function isForOthers(publicUrl: string): boolean {
  const url = URL.canParse(publicUrl) ? new URL(publicUrl) : null;
  return url !== null && (url.protocol === "https:" || !isLoopbackHost(url.hostname));
}

/** A path, or no port of its own: something else answers there and passes on what is ours. */
function isBehindProxy({ pathname, port }: URL): boolean {
  return port === "" || pathname !== "/";
}

function configurationText(wish: ConfigurationWish): string {
  return `# Lucchetto. Every setting and its default: docs/configuration.md; \`lucchetto check\` looks at all of it.\n${stringify(settingsOf(wish, { withFiles: true }))}`;
}

function settingsOf(
  { siteName, publicUrl, databaseUrl, smtpUrl, mailFrom }: ConfigurationWish,
  { withFiles }: { withFiles: boolean },
) {
  const url = URL.canParse(publicUrl) ? new URL(publicUrl) : null;
  const isPublic = isForOthers(publicUrl);
  return {
    mode: isPublic ? "production" : "development",
    publicUrl,
    listen: { port: isPublic || url === null || isBehindProxy(url) ? 8420 : Number(url.port) },
    site: { name: siteName },
    database: { url: databaseUrl, ...(withFiles ? { passwordFile: PASSWORD_FILE } : {}) },
    ...(withFiles ? { keys: { file: "keys.yaml" } } : {}),
    ...mailSettings({ smtpUrl, mailFrom, isPublic }, withFiles),
  };
}

/** Production without a mail server says so on purpose; development has the built-in mailbox. */
function mailSettings(
  { smtpUrl, mailFrom, isPublic }: Pick<ConfigurationWish, "smtpUrl" | "mailFrom"> & { isPublic: boolean },
  withFiles: boolean,
) {
  if (smtpUrl === null) return isPublic ? { mail: "none" } : {};
  const hasPassword = withFiles && process.env["LUCCHETTO_MAIL_SMTP_PASSWORD"] !== undefined;
  const smtp = { url: smtpUrl, ...(hasPassword ? { passwordFile: MAIL_PASSWORD_FILE } : {}) };
  return { mail: { ...(mailFrom === null ? {} : { from: mailFrom }), smtp } };
}

export interface DatabaseWish {
  /** An administrator's address, to create database and user; without it both must be there. */
  readonly adminUrl: string | null;
  readonly adminPassword: string | null;
  /** Of the service's own database user, if it is there already. */
  readonly password: string | null;
}

/** Keeps the database password, creates database and user when an administrator is given, and tries the connection. */
export async function setUpDatabase(path: string, wish: DatabaseWish): Promise<StepDone[]> {
  const steps: StepDone[] = [];
  const file = resolve(dirname(path), PASSWORD_FILE);
  // One that was begun and is empty is none.
  const had = existsSync(file) && readFileSync(file, "utf8").trim() !== "";
  if (!had || wish.password !== null) {
    const password = wish.password ?? (wish.adminUrl === null ? "" : randomBytes(24).toString("base64url"));
    if (password.trim() === "")
      throw new SetupRefusal(
        "The password of the database user is missing: set LUCCHETTO_DATABASE_PASSWORD, or use --admin to have an administrator create the user.",
      );
    replaceFile(file, password, 0o600);
    steps.push({ outcome: "made", detail: `database password in ${file}` });
  } else steps.push({ outcome: "there", detail: `database password in ${file}` });

  const configuration = loadConfiguration(path);
  if (wish.adminUrl !== null && !(await canOpen(configuration))) {
    await createAsAdministrator(
      configuration,
      readFileSync(file, "utf8").trimEnd(),
      wish.adminUrl,
      wish.adminPassword,
    );
    steps.push({
      outcome: "made",
      detail: `database and its user at ${new URL(configuration.database.url).host}`,
    });
  } else steps.push({ outcome: "there", detail: `database at ${new URL(configuration.database.url).host}` });
  const dataSource = await openWithoutDeadline(configuration);
  try {
    const applied = await dataSource.runMigrations({ transaction: "each" });
    steps.push(
      applied.length === 0
        ? { outcome: "there", detail: "schema, up to date" }
        : { outcome: "made", detail: `schema, ${applied.length} migration(s)` },
    );
  } finally {
    await dataSource.destroy();
  }
  return steps;
}

async function canOpen(configuration: Configuration): Promise<boolean> {
  try {
    await (await openDatabase(configuration)).destroy();
    return true;
  } catch {
    // Whatever keeps it from opening is asked for and said by the steps after this.
    return false;
  }
}

/** Creates what is missing, and gives an existing user the password that is kept here. */
async function createAsAdministrator(
  { database }: Configuration,
  password: string,
  adminUrl: string,
  adminPassword: string | null,
): Promise<void> {
  const wanted = new URL(database.url);
  const name = decodeURIComponent(wanted.pathname.slice(1));
  const user = decodeURIComponent(wanted.username);
  if (!/^[A-Za-z0-9_]{1,64}$/.test(name) || !/^[A-Za-z0-9_]{1,80}$/.test(user))
    throw new SetupRefusal(
      "database.url: use only letters, digits and _ for the database and its user, such as mariadb://lucchetto@127.0.0.1:3306/lucchetto",
    );
  const connection = await connectAsAdministrator(adminUrl, adminPassword);
  try {
    const hosts = await hostsFor(connection, wanted.hostname);
    await connection.query(
      `CREATE DATABASE IF NOT EXISTS \`${name}\` CHARACTER SET utf8mb4 COLLATE utf8mb4_bin`,
    );
    for (const host of hosts) {
      await connection.query("CREATE USER IF NOT EXISTS ?@? IDENTIFIED BY ?", [user, host, password]);
      await connection.query("ALTER USER ?@? IDENTIFIED BY ?", [user, host, password]);
      await connection.query(`GRANT ALL ON \`${name}\`.* TO ?@?`, [user, host]);
    }
  } catch (error) {
    throw new SetupRefusal(
      `The administrator ${new URL(adminUrl).username} could not create the database and its user: ${(error as NodeJS.ErrnoException).code ?? (error as Error).message}.`,
    );
  } finally {
    await connection.end();
  }
}

/** On one machine the user comes from there alone; else from wherever the administrator is seen to come from. */
async function hostsFor(connection: Connection, hostname: string): Promise<string[]> {
  if (["127.0.0.1", "localhost", "[::1]"].includes(hostname)) return ["127.0.0.1", "localhost"];
  const [rows] = await connection.query<RowDataPacket[]>("SELECT SUBSTRING_INDEX(USER(), '@', -1) AS host");
  return [String(rows[0]?.["host"] ?? "%")];
}

async function connectAsAdministrator(adminUrl: string, password: string | null): Promise<Connection> {
  const url = URL.canParse(adminUrl) ? new URL(adminUrl) : null;
  if (url === null || !/^(mariadb|mysql):$/.test(url.protocol) || url.username === "")
    throw new SetupRefusal(
      "The administrator's address should look like mariadb://root@127.0.0.1:3306, or mariadb://root@localhost/run/mysqld/mysqld.sock for a socket.",
    );
  const socketPath = url.pathname.length > 1 ? decodeURIComponent(url.pathname) : undefined;
  try {
    return await createConnection({
      user: decodeURIComponent(url.username),
      ...(password === null ? {} : { password }),
      ...(socketPath === undefined
        ? { host: url.hostname, port: url.port === "" ? 3306 : Number(url.port) }
        : { socketPath }),
      connectTimeout: 5_000,
    });
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code ?? "no response";
    const why = code.startsWith("ER_ACCESS_DENIED")
      ? "the user or the password is wrong"
      : `nothing is listening there (${code})`;
    throw new SetupRefusal(`The administrator's connection to ${socketPath ?? url.host} failed: ${why}.`);
  }
}

/** What is there already, so that nobody is asked for it. */
interface Found {
  readonly operator: string | null;
  readonly apps: ReadonlyArray<{ clientId: string; name: string; redirectUri: string }>;
}

export function readSetupState(path: string): Promise<Found> {
  return withDatabase(path, async ({ dataSource }) => {
    const operator = await findOperator(dataSource);
    const apps = await dataSource.query<
      Array<{ clientId: string; name: string; redirectUris: string | string[] }>
    >("SELECT clientId, name, redirectUris FROM app ORDER BY id");
    return {
      operator: operator?.name ?? null,
      apps: apps.map(({ clientId, name, redirectUris }) => {
        return { clientId, name, redirectUri: readList(redirectUris)[0] ?? "" };
      }),
    };
  });
}

async function findOperator(dataSource: DataSource): Promise<{ id: string; name: string } | null> {
  const [row] = await dataSource.query<Array<{ id: string; name: string }>>(
    "SELECT id, COALESCE(email, username) AS name FROM account WHERE JSON_CONTAINS(labels, ?) ORDER BY id LIMIT 1",
    [JSON.stringify(OPERATOR_LABEL)],
  );
  return row ?? null;
}

/** The first operator; in production with a second factor, which is shown this once. */
interface OperatorDone extends StepDone {
  readonly secondFactor: DirectEnrolment | null;
}

/** Makes the first operator, if there is none. @throws OperatorRefusal. */
export function setUpOperator(
  path: string,
  wish: { email: string; displayName: string | null; password: string },
): Promise<OperatorDone> {
  return withDatabase(path, async (parts) => {
    const operator = await findOperator(parts.dataSource);
    if (operator !== null)
      return { outcome: "there", detail: `operator ${operator.name}`, secondFactor: null };
    const isPublic = parts.configuration.mode === "production";
    const { secondFactor } = await addOperator(parts, { ...wish, secondFactor: isPublic });
    return { outcome: "made", detail: `operator ${wish.email}`, secondFactor };
  });
}

/** The first app; its key is shown this once. */
interface AppDone extends StepDone {
  readonly clientId: string;
  readonly key: string | null;
  readonly redirectUri: string;
  readonly service: string;
}

/** Makes the first app, if there is none. @throws SetupRefusal. */
export function setUpApp(path: string, wish: { name: string; url: string }): Promise<AppDone> {
  return withDatabase(path, async (parts) => {
    const { publicUrl: service } = parts.configuration;
    const [there] = (await readSetupState(path)).apps;
    if (there !== undefined)
      return { outcome: "there", detail: `app ${there.clientId}`, ...there, key: null, service };
    const operator = await findOperator(parts.dataSource);
    if (operator === null) throw new SetupRefusal("There is no operator yet.");
    const base = wish.url.replace(/\/+$/, "");
    const redirectUri = `${base}/signed-in`;
    const addition = {
      name: wish.name,
      redirectUris: [redirectUri],
      signedOutUris: [`${base}/signed-out`],
      home: `${base}/`,
      initiateLoginUri: `${base}/sign-in`,
    };
    try {
      const sealing = { ...parts, sealingKeys: sealingKeysOf(parts.configuration) };
      const { app, key } = await addApp(sealing, { account: { id: operator.id } }, addition, BY_COMMAND);
      return {
        outcome: "made",
        detail: `app ${app.clientId}`,
        clientId: app.clientId,
        key,
        redirectUri,
        service,
      };
    } catch (error) {
      if (!(error instanceof ProblemReply)) throw error;
      throw new SetupRefusal(`The application's address: ${error.message}`);
    }
  });
}

interface Parts {
  readonly configuration: Configuration;
  readonly dataSource: DataSource;
  readonly clock: ReturnType<typeof createMovableClock>;
}

async function withDatabase<Result>(path: string, work: (parts: Parts) => Promise<Result>): Promise<Result> {
  const configuration = loadConfiguration(path);
  const dataSource = await openDatabase(configuration);
  try {
    const clock = createMovableClock(dataSource);
    await clock.refresh();
    return await work({ configuration, dataSource, clock });
  } finally {
    await dataSource.destroy();
  }
}
