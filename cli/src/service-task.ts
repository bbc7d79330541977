/** Tasks of the one who runs the service, done by the service's own process beside its configuration. */
import { spawn } from "node:child_process";
import { existsSync } from "node:fs";
import { availableParallelism, constants } from "node:os";
import { resolve } from "node:path";
import { createInterface } from "node:readline";
import { fileURLToPath } from "node:url";
import type { TaskName, TaskProgress, Tasks } from "@lucchetto/contract";
import type { Command } from "commander";
import { Failure } from "./failure.ts";
import { terminal } from "./terminal.ts";

/** Of every command that runs beside the configuration. */
export const CONFIG_OPTION = [
  "--config <file>",
  "the configuration (default: lucchetto.yaml, then .lucchetto/lucchetto.yaml)",
] as const;

/** Looked for in this order when `--config` is not given. */
const USUAL_PLACES = ["lucchetto.yaml", ".lucchetto/lucchetto.yaml"];

/** The configuration file to use. @throws Failure if a named one does not exist. */
export function configurationFile(command: Command): string {
  const { config } = command.optsWithGlobals<{ config?: string }>();
  const { cwd, env } = terminal();
  const named = config ?? env["LUCCHETTO_CONFIG"];
  if (named !== undefined) {
    if (existsSync(resolve(cwd, named))) return named;
    throw new Failure(`--config: there is no file ${named}`, 2);
  }
  const found = USUAL_PLACES.find((place) => existsSync(resolve(cwd, place)));
  // All of it may stand in the environment.
  if (found !== undefined || env["LUCCHETTO_DATABASE_URL"] !== undefined) return found ?? "lucchetto.yaml";
  throw new Failure(
    `There is no configuration here (${USUAL_PLACES.join(", ")}). Make one: lucchetto setup; or name it with --config.`,
    2,
  );
}

/**
 * Runs a task that prints one JSON value, and perhaps lines with its progress before.
 * @throws Failure with what the task said.
 */
export async function runTask<Name extends TaskName>(
  task: Name,
  options: {
    config: string;
    args?: readonly string[];
    input?: string;
    /** Gets each `{"progress": …}` line as it comes. */
    onProgress?: (progress: TaskProgress) => void;
  },
): Promise<Tasks[Name]["result"]> {
  const { cwd, env } = terminal();
  const child = spawn(
    process.execPath,
    [entry(), task, "--config", options.config, ...(options.args ?? [])],
    {
      stdio: ["pipe", "pipe", "pipe"],
      cwd,
      // Hashes run in threads of which there are four, however many cores there are.
      env: { UV_THREADPOOL_SIZE: String(Math.max(4, availableParallelism())), ...env },
    },
  );
  let out = "";
  let said = "";
  const { onProgress } = options;
  if (onProgress === undefined) child.stdout.on("data", (chunk: Buffer) => (out += chunk.toString()));
  else
    createInterface({ input: child.stdout }).on("line", (line) => {
      if (line.startsWith('{"progress":'))
        onProgress((JSON.parse(line) as { progress: TaskProgress }).progress);
      else out += line;
    });
  child.stderr.on("data", (chunk: Buffer) => (said += chunk.toString()));
  child.stdin.on("error", () => undefined);
  child.stdin.end(options.input ?? "");
  const status = await new Promise<number>((resolve) => child.once("close", (code) => resolve(code ?? 1)));
  if (status !== 0) throw new Failure(said.trimEnd(), status === 2 ? 2 : 1);
  return JSON.parse(out) as Tasks[Name]["result"];
}

/** A task that takes one step after the other, in one process. */
export interface StepwiseTask {
  /** @throws Failure with what the step refused. */
  ask<Result>(step: string, input: unknown): Promise<Result>;
  /** Ends it. */
  close(): void;
}

/** Starts one. */
export function startStepwiseTask(task: string, config: string): StepwiseTask {
  const { cwd, env } = terminal();
  const child = spawn(process.execPath, [entry(), task, "--config", config], { stdio: "pipe", cwd, env });
  let said = "";
  child.stderr.on("data", (chunk: Buffer) => (said += chunk.toString()));
  child.stdin.on("error", () => undefined);
  const answers = createInterface({ input: child.stdout })[Symbol.asyncIterator]();
  return {
    async ask<Result>(step: string, input: unknown): Promise<Result> {
      child.stdin.write(`${JSON.stringify({ step, input })}\n`);
      const line = await answers.next();
      if (line.done === true) throw new Failure(said.trimEnd() || "The task has ended by itself.");
      const answer = JSON.parse(line.value) as { result: Result } | { refused: string };
      if ("refused" in answer) throw new Failure(answer.refused);
      return answer.result;
    },
    close: () => child.stdin.end(),
  };
}

/** Runs the service in the foreground until it ends; signals reach it, and if this process is killed, it ends as well. */
export async function runService(config: string): Promise<void> {
  const child = spawn(process.execPath, [entry(), "serve", "--config", config], {
    // By the channel it notices that this process is gone.
    stdio: ["inherit", "inherit", "inherit", "ipc"],
  });
  const pass = (signal: NodeJS.Signals) => child.kill(signal);
  process.on("SIGTERM", pass);
  // Whoever started this with a channel is gone, and would never end it.
  process.once("disconnect", () => pass("SIGTERM"));
  process.channel?.unref();
  // On a terminal Ctrl-C reaches the service by itself; it is only waited for.
  process.on("SIGINT", () => undefined);
  terminal().exitStatus = await new Promise<number>((resolve) =>
    child.once("close", (code, signal) => resolve(code ?? statusOf(signal))),
  );
}

/** Exit status after a signal: 0 for SIGTERM and SIGINT, otherwise 128 + signal. */
function statusOf(signal: NodeJS.Signals | null): number {
  return signal === null || signal === "SIGTERM" || signal === "SIGINT" ? 0 : 128 + constants.signals[signal];
}

function entry(): string {
  return fileURLToPath(import.meta.resolve("@lucchetto/service/main"));
}
