#!/usr/bin/env node
/** Checks the pages' types. What the checker wrote down the last time goes first: it would still check pages that are gone. */
import { rmSync } from "node:fs";
import { join } from "node:path";
import { ROOT } from "./prerequisites.mjs";
import { runCommand } from "./process.mjs";
import { run } from "./say.mjs";

const OPTIONS = ["--workspace", "console", "--tsconfig", "./tsconfig.json", "--tsgo", "--fail-on-warnings"];

await run(async () => {
  rmSync(join(ROOT, "console", ".svelte-check"), { recursive: true, force: true });
  await runCommand(join(ROOT, "node_modules", ".bin", "svelte-check"), OPTIONS, { cwd: ROOT });
});
