#!/usr/bin/env node
/**
 * `npm test`: everything that must hold, on a fresh machine too. It brings a database of its own.
 *
 *     npm test -- [--only-jest] [names of test files …]
 *
 * The last line is `N passed, N failed`.
 */
import { spawn } from "node:child_process";
import { existsSync, mkdirSync, readFileSync, rmSync } from "node:fs";
import { join } from "node:path";
import { ensureMariaDb } from "./mariadb.mjs";
import { build, ensureDebianPackages, ensureNodePackages, ROOT, sayVersions } from "./prerequisites.mjs";
import { runCommand } from "./process.mjs";
import { run, say, step } from "./say.mjs";

const RESULTS = join(ROOT, ".test-state", "results.json");

/** What is checked besides the tests; each counts as one. */
const CHECKS = [
  ["checking types", ["tsc", "-p", "tsconfig.test.json"]],
  [
    "checking the pages",
    ["svelte-check", "--workspace", "console", "--tsconfig", "./tsconfig.json", "--fail-on-warnings"],
  ],
  ["linting", ["eslint", ".", "--max-warnings", "0"]],
  ["checking the table of requirements", ["node", "scripts/assurance.mjs", "--check"]],
  ["checking the formatting", ["prettier", "--check", ".", "--log-level", "warn"]],
];

await run(async () => {
  const started = performance.now();
  const given = process.argv.slice(2);
  const onlyJest = given.includes("--only-jest");
  const names = given.filter((one) => one !== "--only-jest");
  sayVersions();
  await ensureMariaDb();
  await ensureDebianPackages([
    { program: "chromium", package: "chromium" },
    { program: "nginx", package: "nginx" },
    { program: "openssl", package: "openssl" },
    { program: "php", package: "php-cli" },
    { program: "python3", package: "python3" },
  ]);
  await ensureNodePackages();
  await build();

  let passed = 0;
  let failed = 0;
  const waiting = onlyJest ? [] : [...CHECKS];
  const check = async () => {
    for (let next = waiting.shift(); next !== undefined; next = waiting.shift()) {
      const [what, [program, ...args]] = next;
      try {
        await step(what, () => runCommand(programOf(program), args, { cwd: ROOT }));
        passed += 1;
      } catch (error) {
        say(error.message);
        failed += 1;
      }
    }
  };
  // Each keeps one core busy. On a terminal, one after the other: their lines are written over.
  await Promise.all(process.stdout.isTTY ? [check()] : [check(), check()]);
  const tests = await runJest(names);
  passed += tests.passed;
  failed += tests.failed;
  say(`\n${((performance.now() - started) / 1_000).toFixed(0)} s`);
  say(`${passed} passed, ${failed} failed`);
  process.exitCode = failed === 0 && passed > 0 ? 0 : 1;
});

function programOf(name) {
  return name === "node" ? process.execPath : join(ROOT, "node_modules", ".bin", name);
}

/** Runs the tests; a test file that could not run at all counts as a failure. */
async function runJest(names) {
  mkdirSync(join(ROOT, ".test-state"), { recursive: true });
  rmSync(RESULTS, { force: true });
  const args = [
    "--experimental-vm-modules",
    "--disable-warning=ExperimentalWarning",
    join(ROOT, "node_modules/jest/bin/jest.js"),
  ];
  const child = spawn(process.execPath, [...args, "--json", `--outputFile=${RESULTS}`, ...names], {
    cwd: ROOT,
    stdio: ["ignore", "ignore", "inherit"],
  });
  // Ctrl-C reaches the tests as well; they put their database away before this ends.
  process.on("SIGINT", () => undefined);
  const status = await new Promise((resolve) => child.once("close", resolve));
  if (!existsSync(RESULTS)) return { passed: 0, failed: 1 };
  const { numPassedTests, numFailedTests, numRuntimeErrorTestSuites } = JSON.parse(
    readFileSync(RESULTS, "utf8"),
  );
  const failed = numFailedTests + numRuntimeErrorTestSuites;
  return { passed: numPassedTests, failed: status === 0 ? failed : Math.max(1, failed) };
}
