/** Rows of a table, or of a SELECT, of another MariaDB or MySQL database: read in one transaction that cannot write. */
import type { DatabaseSource } from "@lucchetto/contract";
import type { Connection, FieldPacket } from "mysql2";
import { createConnection } from "mysql2";
import { readSecret } from "../../base/config/secrets.ts";
import type { ReadSoFar, SourceRow } from "./source-row.ts";
import { SourceError } from "./source-row.ts";

/** Rows that wait to be judged. */
const AHEAD = 500;
const CONNECT_TIMEOUT = 10_000;
/** What marks a column of bytes, and not of text. */
const BINARY = 63;
/** The driver's numbers of types that may hold bytes: VARCHAR, the BLOBs, VAR_STRING, STRING. */
const MAY_HOLD_BYTES = new Set([15, 249, 250, 251, 252, 253, 254]);

/**
 * Reads it in the order of its key. Bytes come as hexadecimal.
 * @throws SourceError if it cannot be reached, its SELECT would write, or it breaks off.
 */
export async function* readTable(
  source: DatabaseSource,
  soFar: Partial<ReadSoFar>,
): AsyncGenerator<SourceRow> {
  const connection = connectTo(source);
  let row = 0;
  try {
    // Neither its own statements nor a function that it calls can change anything.
    await ask(connection, "SET SESSION TRANSACTION READ ONLY");
    await ask(connection, "START TRANSACTION WITH CONSISTENT SNAPSHOT");
    const from = fromOf(source);
    soFar.total = Number((await ask(connection, `SELECT COUNT(*) AS count FROM ${from}`))[0]?.["count"]);
    soFar.done = () => row;
    const query = connection.query({
      sql: `SELECT * FROM ${from} ORDER BY \`${source.key}\``,
      typeCast: false,
      rowsAsArray: true,
    });
    let columns: FieldPacket[] = [];
    query.on("fields", (fields) => (columns = fields as unknown as FieldPacket[]));
    for await (const values of query.stream({ highWaterMark: AHEAD }) as AsyncIterable<
      Array<Buffer | null>
    >) {
      row += 1;
      yield readValues(row, columns, values);
    }
  } catch (error) {
    throw sourceError(error, source, row);
  } finally {
    connection.destroy();
  }
}

function connectTo({ database, passwordFile }: DatabaseSource): Connection {
  const { hostname, port, username, pathname } = new URL(database);
  const faults: string[] = [];
  const password = readSecret(
    { folder: ".", environment: process.env, faults },
    { variable: "LUCCHETTO_SOURCE_PASSWORD", file: passwordFile, setting: "source.passwordFile" },
  );
  if (faults.length > 0) throw new SourceError(faults.join("\n"));
  const connection = createConnection({
    host: hostname,
    port: port === "" ? 3306 : Number(port),
    user: decodeURIComponent(username),
    password: password ?? "",
    database: decodeURIComponent(pathname.slice(1)),
    charset: "utf8mb4",
    connectTimeout: CONNECT_TIMEOUT,
    // A server may ask for files of this machine; it gets none.
    flags: ["-LOCAL_FILES"],
  });
  // Whoever asks hears of it.
  connection.on("error", () => undefined);
  return connection;
}

function ask(connection: Connection, sql: string): Promise<Array<Record<string, unknown>>> {
  return new Promise((resolve, reject) => {
    connection.query(sql, (error, rows) => {
      if (error === null) resolve(rows as unknown as Array<Record<string, unknown>>);
      else reject(error);
    });
  });
}

/** Quoted parts, in which anything may stand. */
const QUOTED = /'(?:[^'\\]|\\.|'')*'|"(?:[^"\\]|\\.|"")*"|`[^`]*`/gs;

/** What is read from, as a FROM clause takes it: within one, nothing but reading is understood. */
function fromOf({ table, select = "" }: DatabaseSource): string {
  if (table !== undefined) return `\`${table}\``;
  const bare = select.trim().replace(/;$/, "").replace(QUOTED, "''");
  if (!/^(?:select|with)\b/i.test(bare))
    throw new SourceError("source.select: it does not begin with SELECT.");
  const refused = /;|--|#|\/\*|\binto\b|\bfor\s+update\b|\block\s+in\b/i.exec(bare)?.[0];
  if (refused !== undefined)
    throw new SourceError(
      `source.select: "${refused}" is not taken: one SELECT that only reads, without comments.`,
    );
  return `(\n${select.trim().replace(/;$/, "")}\n) AS source`;
}

function readValues(
  row: number,
  columns: readonly FieldPacket[],
  values: ReadonlyArray<Buffer | null>,
): SourceRow {
  const named = new Map<string, string | null>();
  for (const [index, { name, type, characterSet }] of columns.entries()) {
    const bytes = values[index] ?? null;
    const isBytes = characterSet === BINARY && MAY_HOLD_BYTES.has(type ?? 0);
    named.set(name, bytes === null ? null : bytes.toString(isBytes ? "hex" : "utf8"));
  }
  return { line: row, values: named };
}

const MENDS: Readonly<Record<string, string>> = {
  ECONNREFUSED: "nothing listens there",
  ENOTFOUND: "there is no such host",
  ETIMEDOUT: "it does not respond",
  ER_ACCESS_DENIED_ERROR:
    "the user or the password is wrong; the password comes from source.passwordFile or LUCCHETTO_SOURCE_PASSWORD",
  ER_BAD_DB_ERROR: "there is no such database",
  ER_NO_SUCH_TABLE: "there is no such table",
  ER_BAD_FIELD_ERROR: "a named column does not exist",
  ER_PARSE_ERROR: "the SELECT is not understood",
  ER_TABLEACCESS_DENIED_ERROR: "this user may not read it",
  ER_CANT_EXECUTE_IN_READ_ONLY_TRANSACTION: "the SELECT would write",
  PROTOCOL_CONNECTION_LOST: "the connection broke off",
};

function sourceError(error: unknown, { database }: DatabaseSource, row: number): SourceError {
  if (error instanceof SourceError) return error;
  const { code = "", message } = error as { code?: string; message: string };
  const where = `${new URL(database).host}${row === 0 ? "" : `, after row ${row}`}`;
  return new SourceError(`${where}: ${MENDS[code] ?? message}${code === "" ? "" : ` (${code})`}.`);
}
