/** Rows of an old users table, read one at a time: CSV (RFC 4180), JSON Lines, or another database. */
import { createReadStream, statSync } from "node:fs";
import { basename } from "node:path";
import { pipeline, Readable } from "node:stream";
import type { DatabaseSource, FileSource } from "@lucchetto/contract";
import { hasControlCharacter } from "@lucchetto/contract";
import { CsvError, parse } from "csv-parse";
import safeJson from "secure-json-parse";
import { linesOf, MAX_LINE_BYTES } from "../../base/lines.ts";
import type { SealedFile } from "./sealed-file.ts";
import type { Columns, ReadSoFar, SourceRow } from "./source-row.ts";
import { FieldsOfRow, SourceError } from "./source-row.ts";

/** A file, or one that was uploaded and lies sealed. */
export type UploadedSource = FileSource & { readonly sealed?: SealedFile };

/**
 * Reads the rows, in constant memory. The first line of CSV names the columns; an empty field is an empty text, a missing one a fault.
 * @param soFar is filled in as soon as it is known.
 * @throws SourceError that says from which line on nothing can be read.
 */
export async function* readRows(
  source: UploadedSource | DatabaseSource,
  soFar: Partial<ReadSoFar> = {},
): AsyncGenerator<SourceRow> {
  if ("database" in source) {
    const { readTable } = await import("./database-source.ts");
    yield* readTable(source, soFar);
  } else yield* source.format === "csv" ? readCsv(source, soFar) : readJsonLines(source, soFar);
}

/** By what a source is known again: the same file, not touched since; or the same question to the same database. */
export function identityOf(source: UploadedSource | DatabaseSource): string {
  if ("database" in source) return JSON.stringify(source);
  if (source.sealed !== undefined) return source.sealed.fingerprint;
  try {
    const { size, mtimeMs } = statSync(source.path);
    return JSON.stringify([source, size, mtimeMs]);
  } catch (error) {
    throw sourceError(error, source.path);
  }
}

/** What was read, for people. */
export function nameOf(source: FileSource | DatabaseSource): string {
  if (!("database" in source)) return basename(source.path);
  const { host, pathname } = new URL(source.database);
  return `${source.table ?? "a SELECT"} of ${pathname.slice(1)} at ${host}`;
}

/** Of a table: far more than anybody has of people. */
const MAX_COLUMNS = 1_000;
const MAX_COLUMN_NAME = 200;

const MARK = Buffer.from("\ufeff");

/** The bytes of a file, without the mark that some programs put before UTF-8. @throws SourceError. */
async function* bytesOf({ path, sealed }: UploadedSource, soFar: Partial<ReadSoFar>): AsyncGenerator<Buffer> {
  let read = 0;
  try {
    soFar.total = sealed === undefined ? statSync(path).size : sealed.size;
    soFar.done = () => read;
    const chunks = sealed === undefined ? (createReadStream(path) as AsyncIterable<Buffer>) : sealed.read();
    for await (const chunk of chunks) {
      const isMarked = read === 0 && chunk.subarray(0, MARK.length).equals(MARK);
      read += chunk.length;
      yield isMarked ? chunk.subarray(MARK.length) : chunk;
    }
  } catch (error) {
    throw sourceError(error, path);
  }
}

async function* readCsv(source: UploadedSource, soFar: Partial<ReadSoFar>): AsyncGenerator<SourceRow> {
  const { path, delimiter, encoding } = source;
  const decode = decoderOf(encoding);
  let columns: Columns | null = null;
  const parser = pipeline(
    Readable.from(bytesOf(source, soFar), { objectMode: false }),
    parse({
      // Each byte is a letter here, so that a field that is not in the encoding is found and named.
      encoding: "latin1",
      delimiter,
      info: true,
      relax_column_count: true,
      skip_empty_lines: true,
      // A longer one is no row: a quotation mark is missing.
      max_record_size: MAX_LINE_BYTES,
    }),
    // What goes wrong is met by whoever reads.
    () => undefined,
  );
  const records = parser as AsyncIterable<{ record: string[]; info: { lines: number } }>;
  try {
    for await (const { record, info } of records) {
      if (columns === null) {
        columns = new Map(namesOf(record, decode).map((name, place) => [name, place]));
        continue;
      }
      yield readRecord(record, { line: info.lines, columns, decode });
    }
  } catch (error) {
    throw sourceError(error, path);
  }
  if (columns === null) throw new SourceError(`${path}: it is empty; expected a header line.`);
}

function namesOf(record: readonly string[], decode: Decode): string[] {
  if (record.length > MAX_COLUMNS)
    throw new SourceError(
      `line 1: ${record.length} columns; ${MAX_COLUMNS} are enough. Is the delimiter right?`,
    );
  const names = new Set<string>();
  for (const [index, field] of record.entries()) {
    const name = decode(field)?.trim() ?? "";
    // Names are shown in reports and on terminals.
    if (name === "" || name.length > MAX_COLUMN_NAME || hasControlCharacter(name))
      throw new SourceError(
        `line 1: column ${index + 1} has no readable name: up to ${MAX_COLUMN_NAME} characters, and no control characters.`,
      );
    if (names.has(name)) throw new SourceError(`line 1: there are two columns "${name}".`);
    names.add(name);
  }
  return [...names];
}

function readRecord(
  record: readonly string[],
  { line, columns, decode }: { line: number; columns: Columns; decode: Decode },
): SourceRow {
  if (record.length !== columns.size)
    return { line, fault: `it has ${record.length} fields; the header has ${columns.size}` };
  const fields: string[] = [];
  for (const [name, place] of columns) {
    const value = decode(record[place] ?? "");
    if (value === null) return { line, fault: `column "${name}": these bytes are not in the encoding` };
    fields.push(value);
  }
  return { line, values: new FieldsOfRow(columns, fields) };
}

async function* readJsonLines(source: UploadedSource, soFar: Partial<ReadSoFar>): AsyncGenerator<SourceRow> {
  const decode = decoderOf(source.encoding);
  let line = 0;
  for await (const bytes of linesOf(bytesOf(source, soFar))) {
    line += 1;
    if (bytes === null) yield { line, fault: `it is longer than ${MAX_LINE_BYTES / 2 ** 20} MiB` };
    else if (bytes.trim() !== "") yield readJsonLine(decode(bytes), line);
  }
}

function readJsonLine(text: string | null, line: number): SourceRow {
  if (text === null) return { line, fault: "these bytes are not in the encoding" };
  const value: unknown = safeJson.safeParse(text);
  if (typeof value !== "object" || value === null || Array.isArray(value))
    return { line, fault: "it is not a JSON object" };
  const values = new Map<string, string | null>();
  for (const [name, member] of Object.entries(value)) values.set(name, textOf(member));
  return { line, values };
}

/** A member as text, as a table would hold it. What is made of several stays JSON. */
function textOf(member: unknown): string | null {
  if (member === null || member === undefined) return null;
  return typeof member === "string" ? member : JSON.stringify(member);
}

/** Makes text of bytes that are written as letters; `null` if they are not in the encoding. */
type Decode = (bytes: string) => string | null;

function decoderOf(encoding: FileSource["encoding"]): Decode {
  const decoder = new TextDecoder(encoding, { fatal: true, ignoreBOM: true });
  return (bytes) => {
    // oxlint-disable-next-line no-control-regex -- most fields are ASCII alone, which is the same in all of them
    if (/^[\u0000-\u007f]*$/u.test(bytes)) return bytes;
    try {
      return decoder.decode(Buffer.from(bytes, "latin1"));
    } catch {
      // Not in the encoding: the caller names the field.
      return null;
    }
  };
}

function sourceError(error: unknown, path: string): SourceError {
  if (error instanceof SourceError) return error;
  const { code = "", lines } = error as { code?: string; lines?: number };
  if (code === "ENOENT") return new SourceError(`There is no file ${path}.`);
  if (code === "EACCES") return new SourceError(`${path} cannot be read: permission denied.`);
  if (code === "EISDIR") return new SourceError(`${path} is a folder.`);
  const where = lines === undefined ? path : `${path}, line ${lines}`;
  if (code === "CSV_MAX_RECORD_SIZE")
    return new SourceError(
      `${where}: a row is longer than ${MAX_LINE_BYTES / 2 ** 20} MiB. Is a quotation mark missing before it?`,
    );
  if (code === "CSV_QUOTE_NOT_CLOSED")
    return new SourceError(`${where}: a quoted field before it is never closed.`);
  // Its own words would repeat the value.
  if (error instanceof CsvError)
    return new SourceError(
      `${where}: there is a quotation mark inside a field; quote the field and double the quotation mark.`,
    );
  return new SourceError(`${where}: ${(error as Error).message}`);
}
