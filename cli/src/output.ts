/** What is printed: tables for people, JSON for programs. Text from elsewhere cannot steer the terminal. */
import { stripVTControlCharacters } from "node:util";
import Table from "cli-table3";
import { terminal } from "./terminal.ts";

/** Prints one value as JSON. */
export function printJson(value: unknown): void {
  terminal().stdout.write(`${JSON.stringify(value, null, 2)}\n`);
}

/** Prints lines. */
export function print(...lines: readonly string[]): void {
  terminal().stdout.write(`${lines.join("\n")}\n`);
}

/**
 * Prints a table without frames; says what would stand there if it is empty. On a terminal that is too narrow ids are shortened, and
 * columns left out, which is said.
 * @param least columns that are left out first, in this order.
 */
export function printTable(
  head: readonly string[],
  rows: ReadonlyArray<readonly string[]>,
  empty: string,
  least: readonly string[] = [],
): void {
  if (rows.length === 0) return print(empty);
  const { stdout, isWide } = terminal();
  const room = stdout.isTTY === true && isWide !== true ? (stdout.columns ?? Infinity) : Infinity;
  const fits = (text: string): boolean => widthOf(text) <= room;
  let text = drawTable(head, rows);
  if (fits(text)) return print(text);
  const short = rows.map((row) => row.map(shortened));
  const left = new Set<string>();
  const draw = (): string => {
    const shown = head.flatMap((name, index) => (left.has(name) ? [] : [index]));
    const of = (cells: readonly string[]): string[] => shown.map((index) => cells[index] ?? "");
    return drawTable(of(head), short.map(of));
  };
  text = draw();
  for (const name of least) {
    if (fits(text)) break;
    left.add(name);
    text = draw();
  }
  print(text);
  const without = left.size === 0 ? "" : `Left out: ${[...left].join(", ")}. `;
  if (left.size > 0 || short.some((row, index) => row.some((cell, at) => cell !== rows[index]?.[at])))
    print(dim(`${without}All of it: --wide`));
}

function drawTable(head: readonly string[], rows: ReadonlyArray<readonly string[]>): string {
  const table = new Table({
    head: head.map(bold),
    chars: FRAMELESS,
    style: { head: [], border: [], "padding-left": 0, "padding-right": 2 },
  });
  table.push(...rows.map((row) => row.map(printable)));
  return table.toString();
}

/** Letters of the longest line, without what colours it. */
function widthOf(text: string): number {
  const lines = stripVTControlCharacters(text).split("\n");
  return Math.max(...lines.map((line) => line.trimEnd().length));
}

const UUID = /\b([0-9a-f]{8})-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{8}([0-9a-f]{4})\b/g;

/** Ids by their beginning and end. */
function shortened(cell: string): string {
  return cell.replace(UUID, "$1…$2");
}

/** Prints names and values, one pair a line. */
export function printPairs(pairs: ReadonlyArray<readonly [string, string]>): void {
  const width = Math.max(...pairs.map(([name]) => name.length));
  print(...pairs.map(([name, value]) => `${dim(name.padEnd(width))}  ${printable(value)}`));
}

const FRAMELESS = {
  top: "",
  "top-mid": "",
  "top-left": "",
  "top-right": "",
  bottom: "",
  "bottom-mid": "",
  "bottom-left": "",
  "bottom-right": "",
  left: "",
  "left-mid": "",
  mid: "",
  "mid-mid": "",
  right: "",
  "right-mid": "",
  middle: "",
};

/** Control characters, and those that turn the direction of writing, as visible escapes. */
export function printable(text: string): string {
  // oxlint-disable-next-line no-control-regex -- exactly these must not reach a terminal
  return text.replace(/[\u0000-\u001f\u007f-\u009f\u200e\u200f\u202a-\u202e\u2066-\u2069]/g, (character) => {
    const code = character.codePointAt(0) ?? 0;
    return `\\u${code.toString(16).padStart(4, "0")}`;
  });
}

/** A time for people: UTC, to the second. */
export function time(iso: string | null): string {
  return iso === null ? "–" : `${iso.slice(0, 19).replace("T", " ")} UTC`;
}

const paint = (code: string) => (text: string) => {
  const { stdout, env } = terminal();
  return stdout.isTTY === true && env["NO_COLOR"] === undefined ? `\u001b[${code}m${text}\u001b[0m` : text;
};
export const bold = paint("1");
export const dim = paint("2");
export const brass = paint("38;5;179");
export const verdigris = paint("38;5;72");
export const rust = paint("38;5;167");
