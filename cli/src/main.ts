/** The `lucchetto` process. */
import { runCommandLine } from "./run.ts";
import { ownTerminal } from "./terminal.ts";

// Whoever reads only the beginning, as `head` does, is no fault.
process.stdout.on("error", (error: NodeJS.ErrnoException) => {
  if (error.code !== "EPIPE") throw error;
  process.exit();
});

void runCommandLine(process.argv.slice(2), ownTerminal()).then((status) => {
  process.exitCode = status;
});
