/** What every source gives, whatever it is read from. */

/** A row that can be read; or what is wrong with it, and in which column. */
export type SourceRow =
  | { readonly line: number; readonly values: RowValues }
  | { readonly line: number; readonly fault: string };

/** What stands in a row, by the names of the columns. */
export interface RowValues extends Iterable<readonly [column: string, value: string | null]> {
  get(column: string): string | null | undefined;
  keys(): Iterable<string>;
}

/** The columns of a table, and where each stands: made once, for all its rows. */
export type Columns = ReadonlyMap<string, number>;

/** Values of a row in the order of the columns, which many rows share. */
export class FieldsOfRow implements RowValues {
  readonly #columns: Columns;
  readonly #fields: ReadonlyArray<string | null>;

  constructor(columns: Columns, fields: ReadonlyArray<string | null>) {
    this.#columns = columns;
    this.#fields = fields;
  }

  get(column: string): string | null | undefined {
    const place = this.#columns.get(column);
    return place === undefined ? undefined : this.#fields[place];
  }

  keys(): Iterable<string> {
    return this.#columns.keys();
  }

  *[Symbol.iterator](): Iterator<readonly [string, string | null]> {
    for (const [column, place] of this.#columns) yield [column, this.#fields[place] ?? null];
  }
}

/** The source cannot be read any further. */
export class SourceError extends Error {
  override readonly name = "SourceError";
}

/** How far a source is read. Of a file in bytes; of a database in rows. */
export interface ReadSoFar {
  total: number;
  done(): number;
}
