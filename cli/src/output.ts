/** What is printed: tables for people, JSON for programs. Text from elsewhere cannot steer the terminal. */
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

/** Prints a table without frames; says what would stand there if it is empty. */
export function printTable(
  head: readonly string[],
  rows: ReadonlyArray<readonly string[]>,
  empty: string,
): void {
  if (rows.length === 0) return print(empty);
  const table = new Table({
    head: head.map(bold),
    chars: FRAMELESS,
    style: { head: [], border: [], "padding-left": 0, "padding-right": 2 },
  });
  table.push(...rows.map((row) => row.map(printable)));
  print(table.toString());
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
  // eslint-disable-next-line no-control-regex -- exactly these must not reach a terminal
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
