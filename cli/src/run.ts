/** One call of the command. Exit status: 0 done, 1 refused or failed, 2 wrong usage. */
import type { Problem, ProblemError } from "@lucchetto/contract";
import { Command, CommanderError } from "commander";
import { NOUNS } from "./commands/index.ts";
import { Failure } from "./failure.ts";
import type { Terminal } from "./terminal.ts";
import { atTerminal, terminal } from "./terminal.ts";

const VERSION = "0.1.0";

/**
 * Runs a command to its end.
 * @param args without the names of node and the command.
 * @returns the exit status.
 */
export function runCommandLine(args: readonly string[], given: Terminal): Promise<number> {
  return atTerminal(given, async () => {
    try {
      await programFor().parseAsync(asHelpOption(args), { from: "user" });
      return given.exitStatus;
    } catch (error) {
      return report(error);
    }
  });
}

/** All nouns by name; what a noun can do is read when it is the one that was called. */
function programFor(): Command {
  const { stdout, stderr } = terminal();
  const program = new Command("lucchetto")
    .description("Accounts for web applications: the service, its people and its apps.")
    .version(VERSION)
    .option("--url <address>", "the service (default: the profile's, else http://localhost:8420)")
    .option("--profile <name>", "which kept credentials to use")
    .option("--proof-stdin", "read a proof that is wanted again from standard input: password, then a code")
    .showHelpAfterError("(--help shows how it is used)")
    .exitOverride()
    .helpCommand(false)
    .configureHelp({ showGlobalOptions: true })
    .configureOutput({
      writeOut: (text) => stdout.write(text),
      writeErr: (text) => stderr.write(text),
    })
    .addHelpText("after", "\nlucchetto <command> --help shows what a command can do.");
  for (const { name, group, description } of NOUNS)
    program.command(name).description(description).helpGroup(`${group}:`).helpCommand(false);
  return program.hook("preSubcommand", async (_program, called) => {
    const noun = NOUNS.find(({ name }) => name === called.name());
    await noun?.define(called);
  });
}

/** `lucchetto help account` asks what `lucchetto account --help` asks. */
function asHelpOption(args: readonly string[]): string[] {
  return args[0] === "help" ? [...args.slice(1), "--help"] : [...args];
}

/** Says what went wrong. @returns the exit status. */
function report(error: unknown): number {
  if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2;
  const { stderr } = terminal();
  if (error instanceof Failure) {
    stderr.write(`${error.message}\n`);
    return error.exitStatus;
  }
  if (!(error instanceof Error)) throw error;
  // By name: whatever calls no service has not loaded these.
  switch (error.name) {
    case "ProblemError":
      stderr.write(explain((error as ProblemError).problem));
      return 1;
    case "UnreachableError":
      stderr.write(`${error.message}\n`);
      return 1;
    case "ExitPromptError":
      return 1;
    default:
      throw error;
  }
}

function explain({ code, title, detail, errors, requestId }: Problem): string {
  const fields = errors?.map(({ path, message }) => `  ${path}: ${message}`) ?? [];
  const lines = fields.length > 0 ? [`${title}:`, ...fields] : [detail];
  return `${lines.join("\n")}\n  (${code}, request ${requestId})\n`;
}
