import { readFileSync, statSync } from "node:fs";

/** Reads a file that only its owner may read. */
export function readSecretFile(file: string, setting: string, faults: string[]): string | null {
  try {
    const othersMayRead = (statSync(file).mode & 0o077) !== 0;
    if (othersMayRead) faults.push(`${setting}: ${file} can be read by others; run: chmod 600 ${file}`);
    return readFileSync(file, "utf8").trimEnd();
  } catch (error) {
    faults.push(`${setting}: ${file} cannot be read (${(error as NodeJS.ErrnoException).code ?? "unknown"})`);
    return null;
  }
}
