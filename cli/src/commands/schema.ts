/** For the one who runs it: the database's tables. */
import type { Command } from "commander";
import { print, printJson, printTable } from "../output.ts";
import { CONFIG_OPTION, configurationFile, runTask } from "../service-task.ts";
import { terminal } from "../terminal.ts";

export function defineSchema(schema: Command): void {
  schema
    .command("status")
    .description("list the database's migrations; exit 1 if some are missing")
    .option(...CONFIG_OPTION)
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto schema status")
    .action(async (options: { json?: boolean }, command: Command) => {
      const status = await runTask("schema-status", { config: configurationFile(command) });
      if (!status.current) terminal().exitStatus = 1;
      if (options.json === true) return printJson(status);
      const rows = [
        ...status.migrations.map(({ name, applied }) => [name, applied ? "applied" : "missing"]),
        ...status.unknown.map((name) => [name, "unknown to this version"]),
      ];
      printTable(["migration", "state"], rows, "No migrations.");
      print(status.current ? "The schema is up to date." : "Run: lucchetto schema apply");
    });
  schema
    .command("apply")
    .description("apply missing migrations, if there are any")
    .option(...CONFIG_OPTION)
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto schema apply")
    .action(async (options: { json?: boolean }, command: Command) => {
      const result = await runTask("schema-apply", {
        config: configurationFile(command),
      });
      if (options.json === true) return printJson(result);
      if (result.applied.length === 0) print("Nothing to do: the schema is up to date.");
      else print(...result.applied.map((name) => `applied ${name}`));
    });
}
