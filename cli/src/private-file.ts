/** Small files of the command's own, which hold secrets: of mode 0600, below `$XDG_CONFIG_HOME/lucchetto`. */
import { chmodSync, mkdirSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { homedir } from "node:os";
import { dirname, join } from "node:path";
import { Failure } from "./failure.ts";
import { terminal } from "./terminal.ts";

function pathOf(name: string): string {
  const configuration = terminal().env["XDG_CONFIG_HOME"] ?? join(homedir(), ".config");
  return join(configuration, "lucchetto", name);
}

/** What stands there by name; nothing, where there is no file yet. @throws Failure. */
export function readPrivately<Entry>(name: string): Record<string, Entry> {
  const file = pathOf(name);
  try {
    return JSON.parse(readFileSync(file, "utf8")) as Record<string, Entry>;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") return {};
    throw new Failure(`${file} cannot be read (${(error as Error).message}); correct or remove it.`);
  }
}

/** Written aside and moved into place, so that a half-written file never stands there. */
export function writePrivately(name: string, entries: Readonly<Record<string, unknown>>): void {
  const file = pathOf(name);
  mkdirSync(dirname(file), { recursive: true, mode: 0o700 });
  const aside = `${file}.${process.pid}`;
  writeFileSync(aside, `${JSON.stringify(entries, null, 2)}\n`, { mode: 0o600 });
  chmodSync(aside, 0o600);
  renameSync(aside, file);
}
