/** Statements, read as far as a person wants to know them: what they did to which table, and with which values. */
import type { Statement } from "./watch.ts";

/** A change of rows. */
export interface Change {
  readonly change: "added" | "changed" | "removed";
  readonly table: string;
  readonly count: number;
  /** By column: a value, or the text of an expression. */
  readonly values: ReadonlyMap<string, Written>;
}

/** A value that was given, or what stands in the statement in its place. */
export type Written = { readonly value: unknown } | { readonly text: string };

const INSERT = /^INSERT\s+(?:IGNORE\s+)?INTO\s+(\w+)\s*\(([^)]*)\)\s*(VALUES?\b)?\s*(.*)$/is;
const UPDATE = /^UPDATE\s+(\w+)\s+(?:\w+\s+)?SET\s+(.*?)(?:\s+WHERE\s.*)?$/is;
const DELETE = /^DELETE\s+(?:\w+\s+)?FROM\s+(\w+)/is;
const SELECT =
  /^SELECT\s.*?\sFROM\s+(?:\(SELECT 1 AS dummy_column\) dummy_table\s+WHERE\s+EXISTS\s+\(SELECT 1 FROM\s+)?(\w+)/is;

const bare = (sql: string): string => sql.replaceAll("`", "").replace(/\s+/g, " ").trim();

/** What a statement changed; `null`: nothing. */
export function changeOf({ sql, values, affected, rows }: Statement): Change | null {
  const text = bare(sql);
  const count = affected ?? rows?.length ?? 0;
  const inserted = INSERT.exec(text);
  if (inserted !== null) {
    const [, table = "", names = "", isValues, rest = ""] = inserted;
    const columns = names.split(",").map((name) => name.trim());
    // One row; of several the first stands for all.
    const given = isValues === undefined || rest.startsWith("?") ? [] : topLevel(rest.slice(1));
    return { change: "added", table, count, values: writtenIn(columns, given, values) };
  }
  const updated = UPDATE.exec(text);
  if (updated !== null) {
    const [, table = "", assignments = ""] = updated;
    const pairs = topLevel(assignments).map((one) => one.split(/\s*=\s*/, 2) as [string, string | undefined]);
    const whole = topLevel(assignments).map((one) => one.slice(one.indexOf("=") + 1).trim());
    return {
      change: "changed",
      table,
      count,
      values: writtenIn(
        pairs.map(([name]) => name.split(".").at(-1) ?? name),
        whole,
        values,
      ),
    };
  }
  const deleted = DELETE.exec(text);
  return deleted === null ? null : { change: "removed", table: deleted[1] ?? "", count, values: new Map() };
}

/** The first table that a statement reads; `null`: it reads none. */
export function tableRead({ sql }: Statement): string | null {
  return SELECT.exec(bare(sql))?.[1] ?? null;
}

/** Whether it asks for nothing but whether there is such a row. */
export function asksWhether({ sql }: Statement): boolean {
  return /^SELECT 1 AS row_exists/i.test(bare(sql));
}

/** A statement as a line: what is selected and the mapper's second names are left out. */
export function lineOf({ sql }: Statement): string {
  return bare(sql)
    .replace(/^SELECT (?!1 AS row_exists).{60,}? FROM/is, "SELECT … FROM")
    .replace(
      /SELECT 1 AS row_exists FROM \(SELECT 1 AS dummy_column\) dummy_table WHERE EXISTS/i,
      "SELECT EXISTS",
    )
    .replace(/\b(\w+) \1\b/g, "$1")
    .replace(/\b(\w+)\.(\w+)/g, "$2")
    .replace(/(\((?:\?, )+\?\))/g, "(…)");
}

/** The parts of a list up to its end: to the parenthesis that closes it, or to the end of the text. */
function topLevel(text: string): string[] {
  const parts = [""];
  let depth = 0;
  for (const letter of text) {
    if (letter === "(") depth += 1;
    if (letter === ")") depth -= 1;
    if (depth < 0) break;
    if (letter === "," && depth === 0) parts.push("");
    else parts[parts.length - 1] += letter;
  }
  return parts.map((part) => part.trim());
}

/** Columns with what was written into them. Placeholders take the values in their order. */
function writtenIn(
  columns: readonly string[],
  expressions: readonly string[],
  values: readonly unknown[],
): Map<string, Written> {
  let next = 0;
  return new Map(
    columns.flatMap((name, index): Array<[string, Written]> => {
      const expression = expressions[index];
      if (expression === undefined) return [];
      const first = next;
      next += expression.split("?").length - 1;
      return [[name, expression === "?" ? { value: values[first] } : { text: expression }]];
    }),
  );
}
