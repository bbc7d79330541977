/** One call of the command. Exit status: 0 done, 1 refused or failed, 2 wrong usage. */
import type { Problem, ProblemError } from "@lucchetto/contract";
import { VERSION } from "@lucchetto/contract";
import { Command, CommanderError, Help } from "commander";
import { NOUNS } from "./commands/index.ts";
import { Failure } from "./failure.ts";
import type { Terminal } from "./terminal.ts";
import { atTerminal, terminal } from "./terminal.ts";

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
    .option("--profile <name>", "which saved credentials to use")
    .option(
      "--proof-stdin",
      "if a fresh proof is required, read it from standard input: password, then a code",
    )
    .option("--wide", "show all columns and complete ids, however wide the terminal is")
    .showHelpAfterError("(see --help)")
    .exitOverride()
    .helpCommand(false)
    .configureHelp({
      showGlobalOptions: true,
      // Options that can be repeated begin with none.
      optionDescription: (option) => new Help().optionDescription(option).replace(/ ?\(default: \[\]\)$/, ""),
    })
    .configureOutput({
      writeOut: (text) => stdout.write(text),
      writeErr: (text) => stderr.write(text),
    })
    .addHelpText("after", "\nFor details of a command: lucchetto <command> --help");
  for (const { name, group, description } of NOUNS)
    program.command(name).description(description).helpGroup(`${group}:`).helpCommand(false);
  program.hook("preAction", (_program, called) => {
    terminal().isWide = called.optsWithGlobals<{ wide?: boolean }>().wide === true;
  });
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
    default: {
      const fault = faultOfFile(error);
      if (fault === null) throw error;
      stderr.write(`${fault}\n`);
      return 1;
    }
  }
}

const FILE_FAULTS: Readonly<Record<string, string>> = {
  ENOENT: "there is no such file or folder",
  ENOTDIR: "a part of the path is not a folder",
  EACCES: "permission denied",
  EPERM: "permission denied",
  EROFS: "the file system is read-only",
  EISDIR: "it is a folder",
  EEXIST: "it already exists",
  ENOSPC: "the disk is full",
};

/** A file that cannot be read or written, as a sentence; `null` for any other error. */
function faultOfFile(error: Error): string | null {
  const { code = "", path, syscall } = error as NodeJS.ErrnoException;
  if (syscall === undefined || path === undefined) return null;
  return `${path}: ${FILE_FAULTS[code] ?? code}.`;
}

/** Members of calls, as people who type a command know them. */
const WORDS: Readonly<Record<string, string>> = {
  redirectUris: "--redirect-uri",
  home: "--home",
  initiateLoginUri: "--initiate-login-uri",
  linkAddresses: "--link-address",
  app: "--app",
  page: "--page",
  signedOutUris: "--signed-out-uri",
  clientId: "--client-id",
  rights: "--rights",
  labels: "--label",
  displayName: "--name",
  name: "name",
  email: "e-mail address",
  username: "username",
  reference: "--reference",
  password: "password",
  language: "--language",
  identifier: "name",
  cursor: "--after",
  limit: "--limit",
  code: "code",
};

/** Empty for fields that have no option. */
function wordFor(path: string): string {
  const [first = "", second = ""] = path.split(".");
  const word = WORDS[first] ?? WORDS[second];
  return word === undefined ? "" : `${word}: `;
}

function explain({ code, title, detail, errors, requestId }: Problem): string {
  const fields = errors?.map(({ path, message }) => `  ${wordFor(path)}${message}`) ?? [];
  const lines = fields.length > 0 ? [`${title}:`, ...fields] : [detail];
  return `${lines.join("\n")}\n  (${code}, request ${requestId})\n`;
}
