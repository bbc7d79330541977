/** For the one who runs it: everything looked at, each line with its remedy. */
import type { Command } from "commander";
import { brass, print, printJson, rust, verdigris } from "../output.ts";
import { CONFIG_OPTION, configurationFile, runTask } from "../service-task.ts";
import { terminal } from "../terminal.ts";

const MARKS = { ok: verdigris, warning: brass, wrong: rust } as const;

export function defineCheck(check: Command): void {
  check
    .option(...CONFIG_OPTION)
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto check")
    .action(async (options: { json?: boolean }, command: Command) => {
      const { findings } = await runTask("check", {
        config: configurationFile(command),
      });
      if (findings.some(({ verdict }) => verdict === "wrong")) terminal().exitStatus = 1;
      if (options.json === true) return printJson({ findings });
      const width = Math.max(...findings.map(({ subject }) => subject.length));
      print(
        ...findings.map(
          ({ subject, verdict, detail }) =>
            `${MARKS[verdict](verdict.padEnd(7))}  ${subject.padEnd(width)}  ${detail}`,
        ),
      );
    });
}
