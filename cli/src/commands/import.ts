/** A developer at work: moving in. Here the draft of a plan; nothing is written into the database. */
import { existsSync, writeFileSync } from "node:fs";
import { resolve } from "node:path";
import type { Command } from "commander";
import { Failure } from "../failure.ts";
import { print, printJson, printTable } from "../output.ts";
import { configurationFile, runTask } from "../service-task.ts";
import { terminal } from "../terminal.ts";

const FORMATS = ["csv", "json-lines"];
const ENCODINGS = ["utf-8", "windows-1252", "iso-8859-15"];

interface PlanOptions {
  readonly format?: string;
  readonly delimiter: string;
  readonly encoding: string;
  readonly to?: string;
  readonly json?: boolean;
}

interface Draft {
  readonly text: string;
  readonly guesses: ReadonlyArray<{
    readonly member: string;
    readonly column: string;
    readonly reason: string;
  }>;
  readonly leftOut: readonly string[];
  readonly rows: number;
  readonly faults: ReadonlyArray<{ readonly line: number; readonly fault: string }>;
}

/** Faults that are shown; the others are counted. */
const SHOWN_FAULTS = 10;

export function defineImport(command: Command): void {
  command
    .command("plan")
    .description(
      "look at the first rows of an old users table and draft a plan, with a reason for each guess",
    )
    .argument("<file>", "CSV whose first line names the columns, or JSON Lines")
    .option("--format <format>", "csv or json-lines (default: by the end of the file's name)")
    .option("--delimiter <character>", "between the fields of CSV", ",")
    .option("--encoding <encoding>", ENCODINGS.join(", "), "utf-8")
    .option("--to <file>", "where the plan is written; it must not be there yet")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto import plan guests.csv --delimiter ';' --to plan.yaml")
    .action(async (file: string, options: PlanOptions, self: Command) => {
      const source = sourceOf(file, options);
      const { cwd } = terminal();
      const to = options.to === undefined ? undefined : resolve(cwd, options.to);
      if (to !== undefined && existsSync(to)) throw new Failure(`--to: ${options.to} is there already.`, 2);
      const config = configurationFile(self);
      const draft = await runTask<Draft>("import-plan", { config, input: JSON.stringify(source) });
      if (to !== undefined) writePlan(to, draft.text);
      if (options.json === true) return printJson(draft);
      printDraft(draft);
      print(
        "",
        to === undefined ? draft.text.trimEnd() : `The draft is in ${options.to}. Read it and mend it.`,
      );
    });
}

function sourceOf(file: string, { format, delimiter, encoding }: PlanOptions) {
  const guessed = format ?? (/\.(?:jsonl|ndjson)$/i.test(file) ? "json-lines" : "csv");
  assertOneOf("--format", guessed, FORMATS);
  assertOneOf("--encoding", encoding, ENCODINGS);
  const between = delimiter === String.raw`\t` ? "\t" : delimiter;
  if (!/^[\t -~]$/.test(between) || between === '"')
    throw new Failure(
      `--delimiter: found ${JSON.stringify(delimiter)}, expected one character such as ; or \\t`,
      2,
    );
  return { path: file, format: guessed, delimiter: between, encoding };
}

function assertOneOf(option: string, found: string, known: readonly string[]): void {
  if (known.includes(found)) return;
  throw new Failure(`${option}: found ${JSON.stringify(found)}, expected ${known.join(", ")}`, 2);
}

function writePlan(to: string, text: string): void {
  try {
    writeFileSync(to, text, { flag: "wx", mode: 0o600 });
  } catch (error) {
    throw new Failure(`--to: ${to} cannot be written: ${(error as Error).message}.`);
  }
}

function printDraft({ guesses, leftOut, rows, faults }: Draft): void {
  const shown = guesses.map(({ member, column, reason }) => [member, column, reason]);
  printTable(["what", "column", "because"], shown, "No column was recognised.");
  if (leftOut.length > 0) print("", `Left out: ${leftOut.join(", ")}.`);
  print("", `${rows} rows were looked at${faults.length === 0 ? "." : `, ${faults.length} cannot be read:`}`);
  for (const { line, fault } of faults.slice(0, SHOWN_FAULTS)) print(`  line ${line}: ${fault}`);
  if (faults.length > SHOWN_FAULTS) print(`  and ${faults.length - SHOWN_FAULTS} more`);
}
