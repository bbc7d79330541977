/** The `lucchetto` command as it is shipped: as a process of its own, or in the test's process, which spares starting one. */
import { spawn } from "node:child_process";
import { PassThrough, Readable } from "node:stream";
import { text } from "node:stream/consumers";
import { fileURLToPath } from "node:url";
import { runCommandLine } from "@lucchetto/cli/run";

export const COMMAND = fileURLToPath(new URL("../cli/bin/lucchetto.js", import.meta.url));

export interface Run {
  readonly status: number;
  readonly out: string;
  readonly err: string;
}

export interface RunOptions {
  readonly input?: string;
  readonly env?: Readonly<Record<string, string>>;
  readonly cwd?: string;
  /** Of a terminal that shows what is printed; left out: it is piped. Only where no process is started. */
  readonly columns?: number;
}

function environment(home: string, more: RunOptions["env"]): Record<string, string> {
  return { PATH: process.env["PATH"] ?? "", HOME: home, XDG_CONFIG_HOME: home, ...more };
}

/** Runs it to its end as a process. @param home where it keeps what it keeps, and runs unless said otherwise. */
export function runCommand(home: string, args: readonly string[], options: RunOptions = {}): Promise<Run> {
  return new Promise((resolve) => {
    const child = spawn(process.execPath, [COMMAND, ...args], {
      cwd: options.cwd ?? home,
      env: environment(home, options.env),
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

/** The same in this process, with streams and an environment of its own. */
export async function callCommand(
  home: string,
  args: readonly string[],
  options: RunOptions = {},
): Promise<Run> {
  const { columns } = options;
  const terminal = columns === undefined ? {} : { isTTY: true, columns };
  const [stdout, stderr] = [Object.assign(new PassThrough(), terminal), new PassThrough()];
  const said = Promise.all([text(stdout), text(stderr)]);
  const status = await runCommandLine(args, {
    stdin: Readable.from([options.input ?? ""]),
    stdout,
    stderr,
    env: environment(home, options.env),
    cwd: options.cwd ?? home,
    exitStatus: 0,
  });
  stdout.end();
  stderr.end();
  const [out, err] = await said;
  return { status, out, err };
}

export type CommandLine = (args: readonly string[], options?: RunOptions) => Promise<Run>;

/** Calls the command against a test's service. @param service `null` where none is to be asked. */
export function commandLine(home: string, service: { readonly url: string } | null): CommandLine {
  const url = service?.url ?? "http://localhost:1";
  return (args, options = {}) =>
    callCommand(home, args, { ...options, env: { LUCCHETTO_URL: url, ...options.env } });
}
