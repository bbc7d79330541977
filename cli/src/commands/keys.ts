/** For the one who runs it: the key ring. */
import type { Command } from "commander";
import { askWhether } from "../ask.ts";
import { Failure } from "../failure.ts";
import { print, printJson, printTable } from "../output.ts";
import { CONFIG_OPTION, configurationFile, runTask } from "../service-task.ts";
import { terminal } from "../terminal.ts";

interface KeyRingShown {
  readonly file: string;
  readonly current: string | null;
  readonly ids: readonly string[];
}

export function defineKeys(keys: Command): void {
  const verb = (name: string, description: string, example: string, takesKey: boolean): Command => {
    const command = keys.command(name).description(description);
    if (takesKey) command.argument("<id>", "the key's id");
    return command
      .option(...CONFIG_OPTION)
      .option("--json", "as JSON")
      .addHelpText("after", `\nExample:\n  lucchetto keys ${example}`)
      .action(async (...given: unknown[]) => {
        const self = given.at(-1) as Command;
        const config = configurationFile(self);
        const { json, giveUp, yes } = self.opts<{ json?: boolean; giveUp?: boolean; yes?: boolean }>();
        const key = String(given[0]);
        if (giveUp === true) await askToGiveUp(config, key, { yes });
        const args = [...(takesKey ? ["--key", key] : []), ...(giveUp === true ? ["--give-up"] : [])];
        const shown = await runTask<KeyRingShown>(`keys-${name}`, { config, args });
        if (json === true) return printJson(shown);
        const rows = shown.ids.map((id) => [id, id === shown.current ? "current" : "kept"]);
        printTable(["key", "state"], rows, "No key yet. Run: lucchetto keys add");
        print(`The ring is in ${shown.file}.`);
      });
  };
  verb("list", "the ids, never the keys", "list", false);
  verb("add", "add a random key; the first one is current at once", "add", false);
  verb("promote", "make a key current, once every instance has it", "promote k2", true);
  const retire = verb(
    "retire",
    "remove a key that is not current, and that nothing needs",
    "retire k1",
    true,
  );
  retire
    .option("--give-up", "with what still needs it, which is lost; says what, and asks")
    .option("--yes", "with --give-up: do not ask");
}

/** Says what goes with the key, and what its people will have to do. @throws Failure if the answer is no. */
async function askToGiveUp(
  config: string,
  key: string,
  { yes = false }: { yes?: boolean | undefined },
): Promise<void> {
  const { lost } = await runTask<{ lost: Array<{ what: string; afterwards: string }> }>("keys-needs", {
    config,
    args: ["--key", key],
  });
  for (const { what, afterwards } of lost) terminal().stderr.write(`${what}: ${afterwards}.\n`);
  if (lost.length === 0 || yes) return;
  if (!(await askWhether(`Remove ${key} all the same?`))) throw new Failure("Nothing was removed.", 1);
}
