/** For the one who runs it: the key ring. */
import type { KeyRingShown, KeyRingWithNeeds } from "@lucchetto/contract";
import type { Command } from "commander";
import { askWhether } from "../ask.ts";
import { Failure } from "../failure.ts";
import { print, printJson, printTable } from "../output.ts";
import { CONFIG_OPTION, configurationFile, runTask } from "../service-task.ts";
import { terminal } from "../terminal.ts";

const NEEDS = [
  ["records", "password records"],
  ["sealed", "mails"],
  ["authenticators", "authenticators"],
  ["recoveryCodes", "recovery codes"],
  ["entries", "journal seals"],
] as const;

export function defineKeys(keys: Command): void {
  const verb = (
    name: "list" | "add" | "promote" | "retire",
    description: string,
    example: string,
    takesKey: boolean,
  ): Command => {
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
        // What stands under each key is told with the list alone.
        const shown: KeyRingShown & Partial<KeyRingWithNeeds> = await runTask(`keys-${name}`, {
          config,
          args,
        });
        if (json === true) return printJson(shown);
        const { needs, ids, current, notCounted } = shown;
        const counts = needs === undefined || needs === null ? [] : NEEDS;
        const rows = ids.map((id) => [
          id,
          id === current ? "current" : "kept",
          ...counts.map(([what]) => String(needs?.[id]?.[what] ?? 0)),
        ]);
        const head = ["key", "state", ...counts.map(([, words]) => words)];
        printTable(head, rows, "No key yet. Run: lucchetto keys add");
        if (notCounted !== undefined) print(`It is not known what depends on each key: ${notCounted}`);
        print(`The ring is in ${shown.file}.`);
      });
  };
  verb("list", "list the keys' ids (never the keys) and what depends on each", "list", false);
  verb("add", "add a random key; the first one becomes current", "add", false);
  verb("promote", "make a key current, once all instances have it", "promote k2", true);
  const retire = verb("retire", "remove a key that is not current and no longer needed", "retire k1", true);
  retire
    .option("--give-up", "even if something still needs it, which is then lost; shows what, and asks")
    .option("--yes", "with --give-up: do not ask");
}

/** Says what goes with the key, and what its people will have to do. @throws Failure if the answer is no. */
async function askToGiveUp(
  config: string,
  key: string,
  { yes = false }: { yes?: boolean | undefined },
): Promise<void> {
  const { lost } = await runTask("keys-needs", {
    config,
    args: ["--key", key],
  });
  for (const { what, afterwards } of lost) terminal().stderr.write(`${what}: ${afterwards}.\n`);
  if (lost.length === 0 || yes) return;
  if (!(await askWhether(`Remove ${key} anyway?`))) throw new Failure("Nothing was removed.", 1);
}
