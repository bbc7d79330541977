/** The lucchetto command. Exit status: 0 done, 1 refused or failed, 2 wrong usage. */
import { ProblemError, UnreachableError } from "@lucchetto/contract";
import { Command, CommanderError } from "commander";
import { addAccountCommands } from "./commands/account.ts";
import { addAppCommands } from "./commands/app.ts";
import { addDeliveryCommands } from "./commands/delivery.ts";
import { addHashCommands } from "./commands/hash.ts";
import { addMailCommands } from "./commands/mail.ts";
import { addPasswordListCommands } from "./commands/password-list.ts";
import { addPeopleCommands } from "./commands/people.ts";
import { addRecordCommands } from "./commands/records.ts";
import { addRunningCommands } from "./commands/running.ts";
import { addSetup } from "./commands/setup.ts";
import { addThrottleCommands } from "./commands/throttle.ts";
import { addTotpCommands } from "./commands/totp.ts";
import { Failure } from "./failure.ts";

const VERSION = "0.1.0";

const program = new Command("lucchetto")
  .description("Accounts for web applications: the service, its people and its apps.")
  .version(VERSION)
  .option("--url <address>", "the service (default: the profile's, else http://localhost:8420)")
  .option("--profile <name>", "which kept credentials to use")
  .showHelpAfterError("(--help shows how it is used)")
  .exitOverride()
  .configureHelp({ showGlobalOptions: true });

addRunningCommands(program);
addPeopleCommands(program);
addAccountCommands(program);
addAppCommands(program);
addRecordCommands(program);
addThrottleCommands(program);
addDeliveryCommands(program);
addMailCommands(program);
addSetup(program);
addHashCommands(program);
addPasswordListCommands(program);
addTotpCommands(program);
inheritExit(program);

try {
  await program.parseAsync();
} catch (error) {
  process.exitCode = report(error);
}

/** Subcommands end the way the program does. */
function inheritExit(command: Command): void {
  for (const sub of command.commands) {
    sub
      .exitOverride()
      .showHelpAfterError("(--help shows how it is used)")
      .configureHelp({ showGlobalOptions: true });
    inheritExit(sub);
  }
}

/** Says what went wrong, and with which exit status the command ends. */
function report(error: unknown): number {
  if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2;
  if (error instanceof Failure) {
    process.stderr.write(`${error.message}\n`);
    return error.exitStatus;
  }
  if (error instanceof ProblemError) {
    const { problem } = error;
    const fields = problem.errors?.map(({ path, message }) => `  ${path}: ${message}`) ?? [];
    const lines = fields.length > 0 ? [`${problem.title}:`, ...fields] : [problem.detail];
    process.stderr.write(`${lines.join("\n")}\n  (${problem.code}, request ${problem.requestId})\n`);
    return 1;
  }
  if (error instanceof UnreachableError) {
    process.stderr.write(`${error.message}\n`);
    return 1;
  }
  if (error instanceof Error && error.name === "ExitPromptError") return 1;
  throw error;
}
