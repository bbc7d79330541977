/** A developer at work: the list of compromised passwords. Local; no service is asked. */
import { resolve } from "node:path";
import type { Command } from "commander";
import { compileList } from "../compile-list.ts";
import { print, printJson } from "../output.ts";

export function addPasswordListCommands(program: Command): void {
  program
    .command("password-list")
    .description("the list of compromised passwords that nobody may choose")
    .command("build")
    .description(
      "compile a text of SHA-1 digests (40 hexadecimal digits a line, optionally :count) into a compact file",
    )
    .argument("<text>", "the list's text; it need not be sorted")
    .option("--out <file>", "the compiled file", "compromised.pwlist")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto password-list build digests.txt --out compromised.pwlist")
    .action(async (text: string, options: { out: string; json?: boolean }) => {
      const compiled = await compileList(text, resolve(options.out));
      if (options.json === true) return printJson(compiled);
      const { file, lines, entries, bytes } = compiled;
      const each = entries === 0 ? "" : `, ${(bytes / entries).toFixed(2)} bytes each`;
      print(
        `${entries.toLocaleString("en")} digests from ${lines.toLocaleString("en")} lines${each}.`,
        "Name it in the configuration and start the service again:",
        "",
        "  passwords:",
        `    compromisedList: ${file}`,
      );
    });
}
