/** Lists page by page, newest first, by id: a UUIDv7 sorts by time, and its cursor stays right while rows are added. */
import { fieldError } from "@lucchetto/contract";
import { ProblemReply } from "../problem.ts";

export interface PageQuery {
  readonly cursor?: string | undefined;
  readonly limit: number;
}

export interface Page<Item> {
  readonly items: Item[];
  readonly next: string | null;
}

const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/;

/** The id below which the page begins. @throws ProblemReply if the cursor is none of ours. */
export function readCursor({ cursor }: PageQuery): string | null {
  if (cursor === undefined) return null;
  if (UUID.test(cursor)) return cursor;
  throw new ProblemReply("invalid-fields", {
    errors: [fieldError("cursor", "cursor-unknown")],
  });
}

/** Builds a page from `limit` + 1 rows; the extra row signals a next page. */
export function pageOf<Row extends { id: string }, Item>(
  rows: readonly Row[],
  { limit }: PageQuery,
  toItem: (row: Row) => Item,
): Page<Item> {
  const shown = rows.slice(0, limit);
  return { items: shown.map(toItem), next: rows.length > limit ? (shown.at(-1)?.id ?? null) : null };
}
