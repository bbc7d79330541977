/** Files that are there whole or not at all. */
import { renameSync, rmSync, writeFileSync } from "node:fs";

/** Writes a file aside and moves it into place. @throws what the file system says; then the one before is still there. */
export function replaceFile(path: string, text: string, mode = 0o600): void {
  const aside = `${path}.${process.pid}`;
  writeFileSync(aside, text, { mode, flag: "wx" });
  try {
    renameSync(aside, path);
  } catch (error) {
    rmSync(aside, { force: true });
    throw error;
  }
}
