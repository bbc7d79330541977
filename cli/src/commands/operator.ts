/** For the one who runs it: operators, straight into the database. */
import type { Command } from "commander";
import { askPassword } from "../ask.ts";
import { print, printJson } from "../output.ts";
import { CONFIG_OPTION, configurationFile, runTask } from "../service-task.ts";

export function defineOperator(operator: Command): void {
  operator
    .command("add")
    .description("add an operator straight into the database (the first one, or when none can sign in)")
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
        const input = await askPassword(options, "Password of the operator", { repeat: true });
        const args = [
          "--email",
          options.email,
          ...(options.name === undefined ? [] : ["--display-name", options.name]),
        ];
        const added = await runTask<{ id: string }>("add-operator", { config, args, input });
        if (options.json === true) return printJson(added);
        print(`${options.email} is an operator now (${added.id}).`);
      },
    );
}
