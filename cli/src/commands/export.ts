/** A developer at work: leaving, which is as easy as coming. */
import { existsSync } from "node:fs";
import { resolve } from "node:path";
import type { Command } from "commander";
import { Failure } from "../failure.ts";
import { print, printJson, printPairs } from "../output.ts";
import { CONFIG_OPTION, configurationFile, runTask } from "../service-task.ts";
import { terminal } from "../terminal.ts";

interface Options {
  readonly to?: string;
  readonly json?: boolean;
}

/** Rows between two words on how far it is. */
const TELL_EVERY = 50_000;

export function defineExport(command: Command): void {
  command
    .description(
      "write all accounts with their hashes, passkeys and labels to a JSON Lines file. Run it where the database is; all operators are notified",
    )
    .argument("<file>", "the file to write; it must not exist yet")
    .option(
      "--to <key>",
      "a public key in PEM to encrypt the secrets of authenticator apps and seal the file; without it they are omitted. Keep it from others: whoever has it can make such a file",
    )
    .option(...CONFIG_OPTION)
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nExample:\n  lucchetto export accounts.jsonl --to mine.pub\n\nA pair of keys for it:\n  openssl genpkey -algorithm X25519 -out mine.pem && openssl pkey -in mine.pem -pubout -out mine.pub",
    )
    .action(async (file: string, { to, json }: Options, self: Command) => {
      const { cwd, stderr } = terminal();
      if (existsSync(resolve(cwd, file))) throw new Failure(`${file} already exists.`, 2);
      let told = 0;
      const result = await runTask("export", {
        config: configurationFile(self),
        input: JSON.stringify({ to: file, key: to ?? null }),
        onProgress(progress) {
          const { rows } = progress;
          if (rows < told + TELL_EVERY) return;
          told = rows;
          stderr.write(`${rows.toLocaleString("en")} accounts\n`);
        },
      });
      if (json === true) return printJson(result);
      printPairs([
        ["accounts", result.accounts.toLocaleString("en")],
        ["passwords", result.passwords.toLocaleString("en")],
        ["passkeys", result.passkeys.toLocaleString("en")],
        ["authenticators", result.authenticators.toLocaleString("en")],
      ]);
      if (result.leftOut > 0)
        print(
          "",
          `${result.leftOut} authenticator apps were omitted: give a public key with --to to include their secrets.`,
        );
      if (!result.isSealed)
        print(
          "",
          "Its lines carry no seal, so a change to the file would go unnoticed: give a public key with --to, or set up a key ring.",
        );
      print("", `They are in ${file}, which only you can read. Protect it like the database itself.`);
    });
}
