/** The connection to MariaDB, and the question whether its schema is the one this service knows. */
import type { SchemaStatus } from "@lucchetto/contract";
import { DataSource } from "typeorm";
import type { Configuration } from "../config/index.ts";
import { driverWithDeadline } from "./deadline.ts";
import { ENTITIES } from "./entities/index.ts";
import { FirstTables1700000000001 } from "./migrations/1700000000001-first-tables.ts";
import { Throttle1700000000002 } from "./migrations/1700000000002-throttle.ts";
import { Schemes1700000000003 } from "./migrations/1700000000003-schemes.ts";
import { SignIns1700000000004 } from "./migrations/1700000000004-sign-ins.ts";
import { Deliveries1700000000005 } from "./migrations/1700000000005-deliveries.ts";
import { Mail1700000000006 } from "./migrations/1700000000006-mail.ts";
import { OutboxAndLinks1700000000007 } from "./migrations/1700000000007-outbox-and-links.ts";
import { WaysIn1700000000008 } from "./migrations/1700000000008-ways-in.ts";
import { SecondFactors1700000000009 } from "./migrations/1700000000009-second-factors.ts";
import { ClaimedDeliveries1700000000010 } from "./migrations/1700000000010-claimed-deliveries.ts";
import { GuardedChangesOfAddress1700000000011 } from "./migrations/1700000000011-guarded-changes-of-address.ts";
import { WaysBack1700000000012 } from "./migrations/1700000000012-ways-back.ts";
import { SweptAlongIndexes1700000000013 } from "./migrations/1700000000013-swept-along-indexes.ts";
import { AppsAtWork1700000000014 } from "./migrations/1700000000014-apps-at-work.ts";
import { Passkeys1700000000015 } from "./migrations/1700000000015-passkeys.ts";
import { SignInCounts1700000000016 } from "./migrations/1700000000016-sign-in-counts.ts";
import { AskedMails1700000000017 } from "./migrations/1700000000017-asked-mails.ts";
import { MovingIn1700000000018 } from "./migrations/1700000000018-moving-in.ts";
import { ChainedJournal1700000000019 } from "./migrations/1700000000019-chained-journal.ts";
import { ThingsFromBefore1700000000020 } from "./migrations/1700000000020-things-from-before.ts";
import { ExactReferences1700000000021 } from "./migrations/1700000000021-exact-references.ts";
import { WayHome1700000000022 } from "./migrations/1700000000022-way-home.ts";
import { InitiateLogin1700000000023 } from "./migrations/1700000000023-initiate-login.ts";
import { LinkAddresses1700000000024 } from "./migrations/1700000000024-link-addresses.ts";

/** Every migration, in order. */
export const MIGRATIONS = [
  FirstTables1700000000001,
  Throttle1700000000002,
  Schemes1700000000003,
  SignIns1700000000004,
  Deliveries1700000000005,
  Mail1700000000006,
  OutboxAndLinks1700000000007,
  WaysIn1700000000008,
  SecondFactors1700000000009,
  ClaimedDeliveries1700000000010,
  GuardedChangesOfAddress1700000000011,
  WaysBack1700000000012,
  SweptAlongIndexes1700000000013,
  AppsAtWork1700000000014,
  Passkeys1700000000015,
  SignInCounts1700000000016,
  AskedMails1700000000017,
  MovingIn1700000000018,
  ChainedJournal1700000000019,
  ThingsFromBefore1700000000020,
  ExactReferences1700000000021,
  WayHome1700000000022,
  InitiateLogin1700000000023,
  LinkAddresses1700000000024,
];

/** The table in which the applied migrations are noted. */
const MIGRATIONS_TABLE = "schema_migration";

/** Milliseconds until an attempt to connect is given up, where no deadline stands on what is waited for. */
const CONNECT_TIMEOUT = 5_000;

/** What is needed to reach the database. */
export type DatabaseSettings = Pick<Configuration, "databasePassword"> & {
  readonly database: Pick<Configuration["database"], "url" | "connections"> & {
    /** Milliseconds that anything is waited for; none: as long as it takes, as for a change of the schema. */
    readonly deadline?: number;
  };
};

/** Makes a data source; nothing is connected yet. */
export function createDataSource(configuration: DatabaseSettings): DataSource {
  const { connections, deadline } = configuration.database;
  const url = new URL(configuration.database.url);
  const password = configuration.databasePassword ?? decodeURIComponent(url.password);
  return new DataSource({
    type: "mariadb",
    host: url.hostname,
    port: url.port === "" ? 3306 : Number(url.port),
    username: decodeURIComponent(url.username),
    password,
    database: decodeURIComponent(url.pathname.slice(1)),
    timezone: "Z",
    charset: "utf8mb4",
    // Errors tell the statement; a stack taken for each query, in case that it fails, costs more than reading its answer.
    trace: false,
    connectTimeout: deadline ?? CONNECT_TIMEOUT,
    extra: { connectionLimit: connections },
    ...(deadline === undefined ? {} : { driver: driverWithDeadline(deadline) }),
    entities: ENTITIES,
    migrations: MIGRATIONS,
    migrationsTableName: MIGRATIONS_TABLE,
    synchronize: false,
    logging: false,
  });
}

/** Compares the migrations noted in the database with the known ones. */
export async function schemaStatus(dataSource: DataSource): Promise<SchemaStatus> {
  const noted = await readNotedMigrations(dataSource);
  const migrations = MIGRATIONS.map(({ name }) => ({ name, applied: noted.has(name) }));
  const known = new Set(MIGRATIONS.map(({ name }) => name));
  const unknown = [...noted].filter((name) => !known.has(name));
  return { migrations, unknown, current: unknown.length === 0 && migrations.every(({ applied }) => applied) };
}

async function readNotedMigrations(dataSource: DataSource): Promise<Set<string>> {
  const [table] = await dataSource.query<unknown[]>(
    "SELECT 1 FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = ?",
    [MIGRATIONS_TABLE],
  );
  if (table === undefined) return new Set();
  const rows = await dataSource.query<Array<{ name: string }>>(
    `SELECT name FROM ${MIGRATIONS_TABLE} ORDER BY id`,
  );
  return new Set(rows.map(({ name }) => name));
}
