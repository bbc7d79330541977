/** A developer at work: the list of compromised passwords. Local; no service is asked. */
import { resolve } from "node:path";
import type { Command } from "commander";
import { compileList } from "../compile-list.ts";
import { print, printJson } from "../output.ts";
import { terminal } from "../terminal.ts";

export function definePasswordList(passwordList: Command): void {
  passwordList
    .command("build")
    .description(
      "compile a text file of SHA-1 digests (40 hexadecimal digits per line, optionally :count) into a compact file",
    )
    .argument("<text>", "the text file; it need not be sorted")
    .option("--out <file>", "the compiled file", "compromised.pwlist")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto password-list build digests.txt --out compromised.pwlist")
    .action(async (text: string, options: { out: string; json?: boolean }) => {
      const { cwd } = terminal();
      const compiled = await compileList(resolve(cwd, text), resolve(cwd, options.out));
      if (options.json === true) return printJson(compiled);
      const { file, lines, entries, bytes } = compiled;
      const each = entries === 0 ? "" : `, ${(bytes / entries).toFixed(2)} bytes each`;
      print(
        `${entries.toLocaleString("en")} digests from ${lines.toLocaleString("en")} lines${each}.`,
        "Set it in the configuration and restart the service:",
        "",
        "  passwords:",
        `    compromisedList: ${file}`,
      );
    });
}
