/** A developer at work: moving in. Here the draft of a plan; nothing is written into the database. */
import { existsSync, writeFileSync } from "node:fs";
import { resolve } from "node:path";
import type { FileSource, PlanDraft } from "@lucchetto/contract";
import { SOURCE_ENCODINGS, SOURCE_FORMATS } from "@lucchetto/contract";
import type { Command } from "commander";
import { Failure } from "../failure.ts";
import { print, printable, printJson, printTable } from "../output.ts";
import { runTask } from "../service-task.ts";
import { terminal } from "../terminal.ts";

interface PlanOptions {
  readonly format?: string;
  readonly delimiter: string;
  readonly encoding: string;
  readonly to?: string;
  readonly json?: boolean;
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
    .option("--encoding <encoding>", SOURCE_ENCODINGS.join(", "), "utf-8")
    .option("--to <file>", "where the plan is written; it must not be there yet")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto import plan guests.csv --delimiter ';' --to plan.yaml")
    .action(async (file: string, options: PlanOptions) => {
      const source = sourceOf(file, options);
      const { cwd } = terminal();
      const to = options.to === undefined ? undefined : resolve(cwd, options.to);
      if (to !== undefined && existsSync(to)) throw new Failure(`--to: ${options.to} is there already.`, 2);
      const draft = await runTask<PlanDraft>("import-plan", {
        config: "none",
        input: JSON.stringify(source),
      });
      if (to !== undefined) writePlan(to, draft.text);
      if (options.json === true) return printJson(draft);
      printDraft(draft);
      print(
        "",
        ...(to === undefined
          ? draft.text.trimEnd().split("\n").map(printable)
          : [`The draft is in ${options.to}. Read it and mend it.`]),
      );
    });
}

function sourceOf(file: string, { format, delimiter, encoding }: PlanOptions): FileSource {
  const guessed = format ?? (/\.(?:jsonl|ndjson)$/i.test(file) ? "json-lines" : "csv");
  const between = delimiter === String.raw`\t` ? "\t" : delimiter;
  if (!/^[\t -~]$/.test(between) || between === '"')
    throw new Failure(
      `--delimiter: found ${JSON.stringify(delimiter)}, expected one character such as ; or \\t`,
      2,
    );
  return {
    path: file,
    format: oneOf("--format", guessed, SOURCE_FORMATS),
    delimiter: between,
    encoding: oneOf("--encoding", encoding, SOURCE_ENCODINGS),
  };
}

function oneOf<Known extends string>(option: string, found: string, known: readonly Known[]): Known {
  const one = known.find((each) => each === found);
  if (one !== undefined) return one;
  throw new Failure(`${option}: found ${JSON.stringify(found)}, expected ${known.join(", ")}`, 2);
}

function writePlan(to: string, text: string): void {
  try {
    writeFileSync(to, text, { flag: "wx", mode: 0o600 });
  } catch (error) {
    throw new Failure(`--to: ${to} cannot be written: ${(error as Error).message}.`);
  }
}

function printDraft({ guesses, leftOut, rows, faults }: PlanDraft): void {
  const shown = guesses.map(({ member, column, reason }) => [member, column, reason]);
  printTable(["what", "column", "because"], shown, "No column was recognised.");
  if (leftOut.length > 0) print("", `Left out: ${leftOut.map(printable).join(", ")}.`);
  print(
    "",
    `${rows} ${rows === 1 ? "row was" : "rows were"} looked at${faults.length === 0 ? "." : `, ${faults.length} cannot be read:`}`,
  );
  for (const { line, fault } of faults.slice(0, SHOWN_FAULTS)) print(`  line ${line}: ${printable(fault)}`);
  if (faults.length > SHOWN_FAULTS) print(`  and ${faults.length - SHOWN_FAULTS} more`);
}
