/** For the one who runs it: the service itself. */
import type { Command } from "commander";
import { CONFIG_OPTION, configurationFile, runService } from "../service-task.ts";

export function defineServe(serve: Command): void {
  serve
    .option(...CONFIG_OPTION)
    .addHelpText("after", "\nExample:\n  lucchetto serve --config lucchetto.yaml")
    .action(async (_options, command: Command) => runService(configurationFile(command)));
}
