/** For the one who runs it: the key ring. */
import type { Command } from "commander";
import { print, printJson, printTable } from "../output.ts";
import { CONFIG_OPTION, configurationFile, runTask } from "../service-task.ts";

interface KeyRingShown {
  readonly file: string;
  readonly current: string | null;
  readonly ids: readonly string[];
}

export function defineKeys(keys: Command): void {
  const verb = (name: string, description: string, example: string, takesKey: boolean): void => {
    const command = keys.command(name).description(description);
    if (takesKey) command.argument("<id>", "the key's id");
    command
      .option(...CONFIG_OPTION)
      .option("--json", "as JSON")
      .addHelpText("after", `\nExample:\n  lucchetto keys ${example}`)
      .action(async (...given: unknown[]) => {
        const self = given.at(-1) as Command;
        const args = takesKey ? ["--key", String(given[0])] : [];
        const shown = await runTask<KeyRingShown>(`keys-${name}`, { config: configurationFile(self), args });
        if (self.opts<{ json?: boolean }>().json === true) return printJson(shown);
        const rows = shown.ids.map((id) => [id, id === shown.current ? "current" : "kept"]);
        printTable(["key", "state"], rows, "No key yet. Run: lucchetto keys add");
        print(`The ring is in ${shown.file}.`);
      });
  };
  verb("list", "the ids, never the keys", "list", false);
  verb("add", "add a random key; the first one is current at once", "add", false);
  verb("promote", "make a key current, once every instance has it", "promote k2", true);
  verb("retire", "remove a key that is not current", "retire k1", true);
}
