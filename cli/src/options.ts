/** Options that many commands take, checked before anything is asked. */
import type { Command } from "commander";
import { InvalidArgumentError, Option } from "commander";
import { dim, print } from "./output.ts";

const MAX_LIMIT = 100;

/** A page of a list. */
export interface PageOptions {
  readonly limit: number;
  readonly after?: string;
}

/** Gives a list `--limit` and `--after`. */
export function withPage(command: Command): Command {
  return command
    .addOption(new Option("--limit <number>", "how many at most").argParser(readLimit).default(25))
    .option("--after <cursor>", "go on where the list before ended, as it said");
}

/** The query of a page. */
export function pageOf({ limit, after }: PageOptions): { limit: number; cursor: string | undefined } {
  return { limit, cursor: after };
}

/** Says that a list goes on, and how. */
export function printMore(next: string | null): void {
  if (next !== null) print(dim(`There are more: the same with --after ${next}`));
}

/** For options that can be repeated. */
export const collect = (value: string, before: readonly string[]): string[] => [...before, value];

function readLimit(text: string): number {
  const limit = Number(text);
  if (/^\d+$/.test(text) && limit >= 1 && limit <= MAX_LIMIT) return limit;
  throw new InvalidArgumentError(`Expected a whole number from 1 to ${MAX_LIMIT}.`);
}

/** An option that takes one of some words. */
export const oneOf = (flags: string, description: string, words: readonly string[]): Option =>
  new Option(flags, description).choices([...words]);
