/** A developer at work: moving in. A plan is drafted, checked against its source, and run; refused rows are mended and run again. */
import { closeSync, existsSync, openSync, readSync, statSync, writeFileSync } from "node:fs";
import { dirname, relative, resolve } from "node:path";
import type {
  FileSource,
  ImportInput,
  ImportResult,
  IntakeCheck,
  PlanDraft,
  RestoreResult,
  TaskName,
  Tasks,
} from "@lucchetto/contract";
import { delimiterOf, SOURCE_ENCODINGS, SOURCE_FORMATS } from "@lucchetto/contract";
import type { Command } from "commander";
import { Option } from "commander";
import { askPassword, takeLine } from "../ask.ts";
import { Failure } from "../failure.ts";
import { bold, print, printable, printJson, printPairs, printTable } from "../output.ts";
import type { Progress } from "../progress.ts";
import { startProgress } from "../progress.ts";
import { CONFIG_OPTION, configurationFile, runTask } from "../service-task.ts";
import { terminal } from "../terminal.ts";

interface PlanOptions {
  readonly format?: string;
  readonly delimiter?: string;
  readonly encoding: string;
  readonly to?: string;
  readonly json?: boolean;
}

/** Of a file, in which its header stands. */
const BEGINNING_BYTES = 64 * 1024;
/** Faults that are shown; the others are counted. */
const SHOWN_FAULTS = 10;

export function defineImport(command: Command): void {
  command
    .command("plan")
    .description("read the first rows of an old users table and draft a plan, explaining each guess")
    .argument("<file>", "CSV with a header line, or JSON Lines")
    .option("--format <format>", "csv or json-lines (default: from the file name)")
    .option("--delimiter <character>", "between the fields of CSV (default: as the header has it)")
    .option("--encoding <encoding>", SOURCE_ENCODINGS.join(", "), "utf-8")
    .option("--to <file>", "where to write the plan; the file must not exist yet")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto import plan guests.csv --to plan.yaml")
    .action(async (file: string, options: PlanOptions) => {
      const source = sourceOf(file, options);
      const { cwd } = terminal();
      const to = options.to === undefined ? undefined : resolve(cwd, options.to);
      if (to !== undefined && existsSync(to)) throw new Failure(`--to: ${options.to} already exists.`, 2);
      const draft = await runTask("import-plan", {
        config: "none",
        input: JSON.stringify({
          source,
          writtenAs: to === undefined ? source.path : relative(dirname(to), resolve(cwd, source.path)),
        }),
      });
      if (to !== undefined) writeFileSync(to, draft.text, { flag: "wx", mode: 0o600 });
      if (options.json === true) return printJson(draft);
      const said = linesOf(draft);
      if (to !== undefined)
        print(...said, "", `The draft is in ${options.to}. Review it and correct any mistakes.`);
      else {
        const { stdout, stderr } = terminal();
        // Into a file goes the plan alone, which can be run.
        if (stdout.isTTY === true) print(...said, "");
        else stderr.write(`${said.join("\n")}\n`);
        print(...draft.text.trimEnd().split("\n").map(printable));
      }
    });

  withKnown(
    command
      .command("check")
      .description(
        "check the whole source and say what would happen to each row; changes nothing. Run it where the database is",
      )
      .argument("<plan>", "the plan's file"),
  )
    .addHelpText("after", "\nExample:\n  lucchetto import check plan.yaml --known aldo@brina.example")
    .action(async (plan: string, options: CheckOptions, self: Command) => {
      const report = await runLong("import-check", self, await inputOf(plan, options));
      if (report.faultCount > 0 || report.known.some(({ outcome }) => outcome !== "right"))
        terminal().exitStatus = 1;
      if (options.json === true) return printJson(report);
      printCheck(report);
    });

  withKnown(
    command
      .command("run")
      .description(
        "import the rows, or an export; an interrupted run continues where it stopped. Run it where the database is",
      )
      .argument("<plan>", "the plan's file, or the file of an export"),
  )
    .option(
      "--key <file>",
      "for an export: the private key in PEM that decrypts the secrets of authenticator apps",
    )
    .option("--unsealed", "for an export: import it even though nobody can tell whether it was changed")
    .option("--unproven", "import even if no known password has proved a recipe")
    .option("--dry-run", "check only, change nothing")
    .addOption(
      new Option(
        "--wrap <when>",
        "when to wrap old digests in the configured scheme; later: in the background",
      )
        .choices(["auto", "now", "later"])
        .default("auto"),
    )
    .addHelpText("after", "\nExample:\n  lucchetto import run plan.yaml --known aldo@brina.example")
    .action(async (plan: string, options: RunOptions, self: Command) => {
      const input = await inputOf(plan, options);
      const back = await takeBack(plan, options, self);
      if (back !== null) return options.json === true ? printJson(back) : printBack(back);
      if (options.dryRun === true) {
        const report = await runLong("import-check", self, input);
        if (options.json === true) return printJson(report);
        printCheck(report);
        return print("", "Nothing was changed.");
      }
      const result = await runLong("import-run", self, input);
      if (options.json === true) return printJson(result);
      printRun(result);
    });

  command
    .command("status")
    .description("show the progress of imports: rows, first sign-ins, digests still to be wrapped")
    .argument("[intake]", "show one of them, with its plan and recipes")
    .option(...CONFIG_OPTION)
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto import status")
    .action(async (id: string | undefined, options: { json?: boolean }, self: Command) => {
      if (id !== undefined) return showOne(id, options, self);
      const all = await runTask("import-status", { config: configurationFile(self) });
      if (options.json === true) return printJson(all);
      printTable(
        [
          "intake",
          "source",
          "state",
          "imported",
          "refused",
          "not yet signed in",
          "to be wrapped",
          "right",
          "wrong",
        ],
        all.map((one) => [
          one.id,
          one.source,
          one.state,
          ...[
            one.taken,
            one.refused,
            one.notYetSignedIn,
            one.sealed,
            one.firstSignIns,
            one.failedAttempts,
          ].map(number),
        ]),
        "Nothing has been imported yet. To draft a plan: lucchetto import plan SOURCE",
        ["wrong", "right", "to be wrapped"],
      );
    });

  command
    .command("refused")
    .description("write refused rows to a CSV file, without their secrets, to correct and import again")
    .argument("<intake>", "its id")
    .requiredOption("--to <file>", "the file to write; it must not exist yet")
    .option(...CONFIG_OPTION)
    .addHelpText(
      "after",
      "\nExample:\n  lucchetto import refused 0192f0c1-… --to mended.csv\n  lucchetto import run plan.yaml --mended mended.csv",
    )
    .action(async (id: string, { to }: { to: string }, self: Command) => {
      const input = JSON.stringify({ id, to });
      const { written } = await runTask("import-refused", {
        config: configurationFile(self),
        input,
      });
      print(
        `${number(written)} ${written === 1 ? "row is" : "rows are"} in ${to}. Correct them, then: lucchetto import run PLAN --mended ${to}`,
      );
    });
}

async function showOne(id: string, { json }: { json?: boolean }, self: Command): Promise<void> {
  const shown = await runTask("import-show", {
    config: configurationFile(self),
    input: JSON.stringify({ id }),
  });
  if (json === true) return printJson(shown);
  const { report, plan } = shown;
  printPairs([
    ["intake", report.id],
    ["source", report.source],
    ["state", report.state],
    ["rows", number(report.rows)],
    ["imported", number(report.taken)],
    ["filled", number(report.filled)],
    ["refused", number(report.refused)],
    ["not yet signed in", number(report.notYetSignedIn)],
    ["to be wrapped", number(report.sealed)],
    ["first sign-ins", number(report.firstSignIns)],
    ["wrong tries", number(report.failedAttempts)],
  ]);
  if (report.recipes.length > 0) {
    print("");
    const rows = report.recipes.map((one) => [one.id, one.text, one.isProven ? "yes" : "no"]);
    printTable(["recipe", "made by", "proved"], rows, "");
  }
  if (plan !== "") print("", ...plan.trimEnd().split("\n").map(printable));
}

interface CheckOptions {
  readonly known: readonly string[];
  readonly mended?: string;
  readonly passwordStdin?: boolean;
  readonly json?: boolean;
}

interface RunOptions extends CheckOptions {
  readonly unproven?: boolean;
  readonly dryRun?: boolean;
  readonly key?: string;
  readonly unsealed?: boolean;
  readonly wrap: "auto" | "now" | "later";
}

/** An export taken back, if the file is one. */
async function takeBack(
  path: string,
  { key, dryRun, unsealed = false }: RunOptions,
  self: Command,
): Promise<RestoreResult | null> {
  const { cwd } = terminal();
  const file = resolve(cwd, path);
  if (!existsSync(file) || !isExport(file)) return null;
  if (dryRun === true)
    throw new Failure(
      "--dry-run: an export is always checked completely before anything is stored, so there is nothing to try.",
      2,
    );
  return runLong("import-export", self, { path, key: key ?? null, unsealed });
}

/** By how an export begins. */
const EXPORT_BEGINS = '{"lucchettoExport"';

function isExport(file: string): boolean {
  if (!statSync(file).isFile()) return false;
  return beginningOf(file, EXPORT_BEGINS.length) === EXPORT_BEGINS;
}

/** The first bytes of a file, as many as there are. @throws what the file system says. */
function beginningOf(file: string, bytes: number): string {
  const handle = openSync(file, "r");
  try {
    const read = Buffer.alloc(bytes);
    return read.toString("latin1", 0, readSync(handle, read));
  } finally {
    closeSync(handle);
  }
}

function printBack(result: RestoreResult): void {
  printRun(result);
  const { operators, leftOut, otherRelyingParty } = result;
  if (operators.length > 0)
    print(
      "",
      `An import never creates operators. These people were operators; assign the label in the console: ${operators.map(printable).join(", ")}`,
    );
  if (leftOut > 0)
    print(
      "",
      `${number(leftOut)} authenticator apps were skipped: give the private key with --key. Until then their owners sign in another way.`,
    );
  if (otherRelyingParty !== null)
    print(
      "",
      `The passkeys were created for ${printable(otherRelyingParty)} and do not work at another domain.`,
    );
}

/** What check and run have in common. */
function withKnown(command: Command): Command {
  return command
    .option(
      "--known <who>",
      "a person in the source whose password you know, by address, username or reference; you are asked for it. Can be repeated",
      (who: string, before: readonly string[]) => [...before, who],
      [],
    )
    .option(
      "--password-stdin",
      "read the known passwords from standard input, one per line, in the order of --known",
    )
    .option("--mended <file>", "import only the refused rows corrected in this file")
    .option(...CONFIG_OPTION)
    .option("--json", "as JSON");
}

async function inputOf(plan: string, options: CheckOptions & Partial<RunOptions>): Promise<ImportInput> {
  const known: Array<{ who: string; password: string }> = [];
  for (const who of options.known) {
    const password =
      options.passwordStdin === true ? await takeLine() : await askPassword({}, `The password of ${who}`);
    known.push({ who, password });
  }
  const { mended, unproven = false, wrap = "auto" } = options;
  return { plan, known, unproven, wrap, ...(mended === undefined ? {} : { mended }) };
}

const PHASES = { check: "Checking", write: "Importing" } as const;

/** Runs a task and shows how it goes on: rows a second, and the time that is left. */
async function runLong<Name extends TaskName>(
  task: Name,
  self: Command,
  input: Tasks[Name]["input"],
): Promise<Tasks[Name]["result"]> {
  let shown: { phase: string; bar: Progress; from: number; done: number } | null = null;
  try {
    return await runTask(task, {
      config: configurationFile(self),
      input: JSON.stringify(input),
      onProgress(progress) {
        const { phase, done, total, rows } = progress;
        if (shown?.phase !== phase) {
          shown?.bar.stop();
          shown = { phase, bar: startProgress(PHASES[phase], total), from: performance.now(), done };
        }
        const seconds = (performance.now() - shown.from) / 1_000;
        const left = done > shown.done ? ((total - done) / (done - shown.done)) * seconds : null;
        const speed =
          phase === "write" ? `${perSecond(done - shown.done, seconds)} rows/s` : `${number(rows)} rows`;
        shown.bar.update(done, left === null ? speed : `${speed}, ${duration(left)} left`);
      },
    });
  } finally {
    (shown as { bar: Progress } | null)?.bar.stop();
  }
}

/** Where few come in a second, with a digit behind the point. */
function perSecond(done: number, seconds: number): string {
  const rate = seconds > 0 ? done / seconds : 0;
  return rate < 20 ? rate.toFixed(1) : number(Math.round(rate));
}

function duration(seconds: number): string {
  if (seconds < 90) return `${Math.ceil(seconds)} s`;
  if (seconds < 5_400) return `${Math.round(seconds / 60)} min`;
  return `${(seconds / 3_600).toFixed(1)} h`;
}

const number = (value: number): string => value.toLocaleString("en");

function printCheck(report: IntakeCheck): void {
  const { source, rows, wouldBeTaken, thereAlready, faultCount, faults, passwords, recipes, known } = report;
  printPairs([
    ["source", source],
    ["rows", number(rows)],
    ["would be imported", number(wouldBeTaken)],
    ["already here", number(thereAlready)],
    ["would be refused", number(faultCount)],
  ]);
  print("");
  printTable(
    ["rows", "their passwords"],
    passwords.map((one) => [number(one.rows), one.words]),
    "No row could be read.",
  );
  if (recipes.length > 0) {
    print("");
    printTable(
      ["rows", "recipe", "proved"],
      recipes.map((one) => [number(one.rows), one.text, one.isProven ? "yes" : "not yet: --known"]),
      "",
    );
  }
  for (const { who, outcome } of known) print("", KNOWN[outcome](printable(who)));
  if (report.filledByUsername.length > 0) {
    print("", "Only the username says that these are the same person:");
    printTable(
      ["line", "username", "account"],
      report.filledByUsername.map(({ line, username, accountId }) => [
        String(line),
        printable(username),
        accountId,
      ]),
      "",
    );
  }
  if (faults.length === 0) return;
  print("");
  printTable(
    ["line", "what", "because"],
    faults.slice(0, SHOWN_FAULTS).map(({ line, member, reason }) => [String(line), member, reason]),
    "",
  );
  if (faultCount > SHOWN_FAULTS)
    print(`and ${number(faultCount - SHOWN_FAULTS)} more; --json shows the first 200`);
}

const KNOWN: Readonly<Record<IntakeCheck["known"][number]["outcome"], (who: string) => string>> = {
  right: (who) => `The password of ${who} matches.`,
  wrong: (who) => `The password of ${who} does not match its row. Are the recipe and the column right?`,
  nobody: (who) => `No row belongs to ${who}.`,
};

function printRun({ report, wrapsLater, resumedAt }: ImportResult): void {
  const { id, source, rows, taken, filled, refused } = report;
  printPairs([
    ["intake", id],
    ["source", source],
    ["rows", number(rows)],
    ["imported", number(taken)],
    ["filled", number(filled)],
    ["refused", number(refused)],
  ]);
  if (resumedAt > 0) print("", `${number(resumedAt)} rows were imported by an earlier run.`);
  if (wrapsLater)
    print(
      "",
      `${number(report.sealed)} old digests are encrypted with the key ring; the service wraps them in the background: lucchetto import status`,
    );
  if (refused > 0) print("", `To correct the refused rows: lucchetto import refused ${id} --to mended.csv`);
}

function sourceOf(file: string, { format, delimiter, encoding }: PlanOptions): FileSource {
  const guessed = format ?? (/\.(?:jsonl|ndjson)$/i.test(file) ? "json-lines" : "csv");
  const given = delimiter ?? (guessed === "csv" ? delimiterOf(headerOf(file)) : ",");
  const between = given === String.raw`\t` ? "\t" : given;
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

/** Empty where it cannot be read: whoever reads the rows says why. */
function headerOf(file: string): string {
  try {
    return beginningOf(file, BEGINNING_BYTES);
  } catch {
    // No file, none to be read, or a folder.
    return "";
  }
}

function oneOf<Known extends string>(option: string, found: string, known: readonly Known[]): Known {
  const one = known.find((each) => each === found);
  if (one !== undefined) return one;
  throw new Failure(`${option}: found ${JSON.stringify(found)}, expected ${known.join(", ")}`, 2);
}

/** What a draft says to whoever reads it. */
function linesOf({ guesses, leftOut, rows, faults }: PlanDraft): string[] {
  const lines = guesses.length === 0 ? ["No column was recognised."] : [];
  const width = Math.max(...guesses.map(({ member }) => member.length));
  for (const { member, column, reason } of guesses) {
    const [first = "", ...more] = reason.split("; ").map(printable);
    lines.push(`${member.padEnd(width)}  ${bold(printable(column))}: ${first}`);
    for (const line of more) lines.push(`${" ".repeat(width)}  ${line}`);
  }
  if (leftOut.length > 0) lines.push("", `Left out: ${leftOut.map(printable).join(", ")}.`);
  lines.push(
    "",
    `${rows} ${rows === 1 ? "row was" : "rows were"} read${faults.length === 0 ? "." : `, ${faults.length} cannot be read:`}`,
  );
  for (const { line, fault } of faults.slice(0, SHOWN_FAULTS))
    lines.push(`  line ${line}: ${printable(fault)}`);
  if (faults.length > SHOWN_FAULTS) lines.push(`  and ${faults.length - SHOWN_FAULTS} more`);
  return lines;
}
