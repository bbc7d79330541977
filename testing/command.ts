/** The `lucchetto` command as a process of its own. */
import { spawn } from "node:child_process";
import { fileURLToPath } from "node:url";

const COMMAND = fileURLToPath(new URL("../cli/bin/lucchetto.js", import.meta.url));

export interface Run {
  readonly status: number;
  readonly out: string;
  readonly err: string;
}

export interface RunOptions {
  readonly input?: string;
  readonly env?: Readonly<Record<string, string>>;
  readonly cwd?: string;
}

/** Runs it to its end. @param home where it keeps what it keeps, and runs unless said otherwise. */
export function runCommand(home: string, args: readonly string[], options: RunOptions = {}): Promise<Run> {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, [COMMAND, ...args], {
      cwd: options.cwd ?? home,
      env: { PATH: process.env["PATH"] ?? "", HOME: home, XDG_CONFIG_HOME: home, ...options.env },
    });
    let out = "";
    let err = "";
    child.stdout.on("data", (chunk) => (out += chunk));
    child.stderr.on("data", (chunk) => (err += chunk));
    child.stdin.on("error", () => undefined);
    child.stdin.end(options.input ?? "");
    child.once("close", (code) => resolve({ status: code ?? -1, out, err }));
  });
}
