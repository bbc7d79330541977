/**
 * The service as users run it: what the build makes, in a process of its own. Its clock is moved as
 * `lucchetto clock` moves it; between moves time passes.
 */
import type { ChildProcessByStdio } from "node:child_process";
import { spawn } from "node:child_process";
import { createInterface } from "node:readline";
import type { Readable } from "node:stream";
import { fileURLToPath } from "node:url";
import { createMovableClock, systemClock } from "@lucchetto/service";
import { endProcess } from "../scripts/process.mjs";
import { COMMAND } from "./command.ts";
import type { TestService, TestServiceOptions } from "./service.ts";
import { preparePlace, PRODUCTION } from "./service.ts";

/** What `lucchetto serve` starts in a process of its own: without a second one for the command a test begins a third of a second sooner. */
const ENTRY = fileURLToPath(new URL("../service/dist/process/start.cjs", import.meta.url));

/** Seconds after which one that was told to stop is killed. */
const STOP_WITHIN = 60;

/** As `startProduction` of `service.ts`. */
export const startShippedProduction = (
  settings: Readonly<Record<string, string>> = {},
): Promise<TestService> =>
  startShipped({ publicUrl: "https://accounts.brina.example", settings: { ...PRODUCTION, ...settings } });

/** Starts one. @param byCommand by the command, as users do. @param task as `npm run dev` starts it: `develop`. @throws Error with what it said, if it ends before it runs. */
export async function startShipped({
  byCommand = false,
  task = "serve",
  ...options
}: Omit<TestServiceOptions, "timePasses"> & {
  byCommand?: boolean;
  task?: "serve" | "develop";
} = {}): Promise<TestService> {
  const place = await preparePlace(options);
  const child = spawn(process.execPath, [byCommand ? COMMAND : ENTRY, task, "--config", place.configFile], {
    env: { PATH: process.env["PATH"] ?? "", ...place.environment },
    // By the channel it notices that the tests were killed.
    stdio: ["ignore", "pipe", "pipe", "ipc"],
  }) as ChildProcessByStdio<null, Readable, Readable>;
  const lines: string[] = [];
  const said: string[] = [];
  const ended = new Promise<void>((resolve) => child.once("close", resolve));
  const running = new Promise<void>((resolve) => {
    createInterface({ input: child.stdout }).on("line", (line) => {
      lines.push(`${line}\n`);
      if (line.includes("is running at http")) resolve();
    });
    child.stderr.on("data", (chunk: Buffer) => said.push(chunk.toString()));
  });
  await Promise.race([running, ended]);
  if (child.exitCode !== null) {
    await place.clear();
    throw new Error(said.join("") || lines.join(""));
  }
  const clock = createMovableClock(place.dataSource, systemClock);
  await clock.refresh();
  return {
    ...place,
    clock,
    machine: systemClock,
    log: () => lines.join("") + said.join(""),
    async stop() {
      await endProcess(child, STOP_WITHIN);
      await ended;
      await place.clear();
    },
  };
}
