/**
 * Where the command reads and writes: the process it is, or whatever its caller gives it. A call keeps its own, so that
 * several can run beside each other in one process.
 */
import { AsyncLocalStorage } from "node:async_hooks";
import type { Readable } from "node:stream";

/** What a command has around it. */
export interface Terminal {
  readonly stdin: Readable & { readonly isTTY?: boolean };
  readonly stdout: Output;
  readonly stderr: Output;
  readonly env: Readonly<Record<string, string | undefined>>;
  /** Paths of files are relative to it. */
  readonly cwd: string;
  /** 0 unless a command says otherwise. */
  exitStatus: number;
  /** Tables are shown whole, however wide. */
  isWide?: boolean;
}

interface Output {
  write(text: string): unknown;
  readonly isTTY?: boolean;
  /** Of a terminal, as wide as it is now. */
  readonly columns?: number;
}

const terminals = new AsyncLocalStorage<Terminal>();

/** The terminal of the command that is running. */
export function terminal(): Terminal {
  const current = terminals.getStore();
  if (current === undefined) throw new Error("no command is running");
  return current;
}

/** Runs a command at a terminal. */
export function atTerminal<Result>(given: Terminal, work: () => Result): Result {
  return terminals.run(given, work);
}

/** The process itself. */
export function ownTerminal(): Terminal {
  const { stdin, stdout, stderr, env } = process;
  return { stdin, stdout, stderr, env, cwd: process.cwd(), exitStatus: 0 };
}
