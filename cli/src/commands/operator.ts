/** For the one who runs it: operators added, or let in again, straight in the database. */
import type { Command } from "commander";
import { askPassword } from "../ask.ts";
import { print, printJson } from "../output.ts";
import { CONFIG_OPTION, configurationFile, runTask } from "../service-task.ts";

export function defineOperator(operator: Command): void {
  operator
    .command("add")
    .description("add an operator directly to the database (the first one, or when none can sign in)")
    .requiredOption("--email <address>", "their e-mail address")
    .option("--name <text>", "their display name")
    .option("--password-stdin", "read the password from standard input")
    .option(...CONFIG_OPTION)
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto operator add --email office@brina.example")
    .action(
      async (
        options: { email: string; name?: string; passwordStdin?: boolean; json?: boolean },
        command: Command,
      ) => {
        const config = configurationFile(command);
        const input = await askPassword(options, "The operator's password", { repeat: true });
        const args = [
          "--email",
          options.email,
          ...(options.name === undefined ? [] : ["--display-name", options.name]),
        ];
        const added = await runTask("add-operator", { config, args, input });
        if (options.json === true) return printJson(added);
        print(`${options.email} is now an operator (${added.id}).`);
      },
    );
  operator
    .command("rescue")
    .description(
      "let an operator who lost everything back in; run it where the configuration, key ring and database are",
    )
    .requiredOption("--email <address>", "their e-mail address")
    .option("--password-stdin", "read a first password from standard input")
    .option(...CONFIG_OPTION)
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto operator rescue --email office@brina.example")
    .action(async (options: { email: string; passwordStdin?: boolean; json?: boolean }, command: Command) => {
      const config = configurationFile(command);
      const input = await askPassword(options, "First password for the operator", { repeat: true });
      const args = ["--email", options.email];
      const rescued = await runTask("rescue-operator", {
        config,
        args,
        input,
      });
      if (options.json === true) return printJson(rescued);
      print(
        `${options.email} can sign in with this password once within 7 days, and then chooses a new one.`,
        rescued.hadFactor
          ? "The second factor was removed; set up a new one on the account page."
          : "There was no second factor.",
        "This is recorded in the journal, and all operators have been notified.",
      );
    });
}
