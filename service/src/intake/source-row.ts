/** What every source gives, whatever it is read from. */

/** A row that can be read; or what is wrong with it, and in which column. */
export type SourceRow =
  | { readonly line: number; readonly values: ReadonlyMap<string, string | null> }
  | { readonly line: number; readonly fault: string };

/** The source cannot be read any further. */
export class SourceError extends Error {
  override readonly name = "SourceError";
}

/** How far a source is read. Of a file in bytes; of a database in rows. */
export interface ReadSoFar {
  total: number;
  done(): number;
}
