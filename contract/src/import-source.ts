/** What an old users table is read from, and the draft of a plan that is made of its first rows. */

/** Bytes of an upload in one part, and altogether; larger tables are for the command. */
export const MAX_PART = 45_000;
/** Bytes of an upload in the console at most. */
export const MAX_UPLOAD = 2 ** 30;

/** Formats of a file that is imported: CSV (RFC 4180) with a header line, or a JSON object a line. */
export const SOURCE_FORMATS = ["csv", "json-lines"] as const;
/** The ones in which ASCII stands for itself. */
export const SOURCE_ENCODINGS = ["utf-8", "windows-1252", "iso-8859-15"] as const;

/** What stands between the fields of most CSV files, the usual one first. */
export const DELIMITERS = [",", ";", "\t", "|"] as const;

/**
 * Which delimiter a CSV file seems to have: the one that stands most often in its header, outside quotation marks.
 * @param header the file's first line, or its beginning. @returns a comma where nothing speaks for another.
 * @example
 * ```ts
 * delimiterOf("mail;name;passwort") // → ";"
 * delimiterOf('"name, first";mail') // → ";"
 * delimiterOf("email") // → ","
 * ```
 */
export function delimiterOf(header: string): (typeof DELIMITERS)[number] {
  const [line = ""] = header.replace(/"[^"]*"/g, "").split(/\r?\n/);
  const often = (one: string): number => line.split(one).length - 1;
  return DELIMITERS.reduce((best, one) => (often(one) > often(best) ? one : best));
}

/** A file with the rows of an old users table. */
export interface FileSource {
  readonly path: string;
  readonly format: (typeof SOURCE_FORMATS)[number];
  /** Of CSV: one ASCII character. */
  readonly delimiter: string;
  readonly encoding: (typeof SOURCE_ENCODINGS)[number];
}

/** A table or a SELECT of another database, read through an account that only reads. */
export interface DatabaseSource {
  /** `mariadb://user@host:port/name`, without the password. */
  readonly database: string;
  /** A file that holds the password, which nobody else may read; without it, it is the variable `LUCCHETTO_SOURCE_PASSWORD`. */
  readonly passwordFile?: string;
  readonly table?: string | undefined;
  readonly select?: string | undefined;
  /** A column that is different in each row; the rows are read in its order. */
  readonly key: string;
}

/** What a column seems to be, and what speaks for it. */
export interface ColumnGuess {
  readonly member: string;
  readonly column: string;
  readonly reason: string;
}

/** A drafted plan: its text in YAML, and why each column was guessed to be what it is. */
export interface PlanDraft {
  /** The plan, with the reasons as comments. */
  readonly text: string;
  readonly guesses: readonly ColumnGuess[];
  /** Columns that are nothing that is wanted. */
  readonly leftOut: readonly string[];
  /** Rows that were looked at and can be read. */
  readonly rows: number;
  /** Rows that cannot be read, with their line. */
  readonly faults: ReadonlyArray<{ readonly line: number; readonly fault: string }>;
}
