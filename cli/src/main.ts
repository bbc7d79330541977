/** The `lucchetto` process. */
import { runCommandLine } from "./run.ts";
import { ownTerminal } from "./terminal.ts";

process.exitCode = await runCommandLine(process.argv.slice(2), ownTerminal());
