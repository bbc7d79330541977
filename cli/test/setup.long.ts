/** `setup` killed after each of its steps, and run again. */
import { spawn } from "node:child_process";
import { existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "@jest/globals";
import { callCommand, COMMAND } from "../../testing/command.ts";
import { ADMIN_PASSWORD, CHEAP, OPERATORS_PASSWORD, place } from "../../testing/setup-place.ts";

test.each([1, 2, 3, 4, 5, 6, 7])("killed after %i steps it is gone on with", async (steps) => {
  const { home, options, run } = await place();
  const said = await runUntil(home, ["setup", "--password-stdin", ...options], steps);
  expect(said.match(/^made/gm)?.length).toBeGreaterThanOrEqual(steps);
  const file = join(home, "database-password");
  if (existsSync(file)) expect(readFileSync(file, "utf8").length).toBeGreaterThan(20);

  const again = await run();
  expect(again).toMatchObject({ status: 0, err: "" });
  const outcomes = again.out.match(/^(made|there)/gm) ?? [];
  expect(outcomes).toHaveLength(7);
  expect(outcomes.filter((one) => one === "there").length).toBeGreaterThanOrEqual(steps);
  const checked = await callCommand(home, ["check"], { env: CHEAP });
  expect(checked.out).not.toMatch(/^wrong/m);
});

/** Runs it as a process that is killed, with all it has started, once so many steps are made. */
function runUntil(cwd: string, args: readonly string[], steps: number): Promise<string> {
  const child = spawn(process.execPath, [COMMAND, ...args], {
    cwd,
    detached: true,
    env: { ...process.env, ...CHEAP, LUCCHETTO_ADMIN_PASSWORD: ADMIN_PASSWORD },
  });
  child.stdin.end(OPERATORS_PASSWORD);
  let said = "";
  child.stdout.on("data", (chunk: Buffer) => {
    said += chunk.toString();
    if ((said.match(/^made/gm)?.length ?? 0) >= steps) process.kill(-(child.pid ?? 0), "SIGKILL");
  });
  return new Promise((resolve) => child.once("close", () => resolve(said)));
}
