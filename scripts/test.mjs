#!/usr/bin/env node
/**
 * `npm test`: everything that must hold, on a fresh machine too. It brings a database of its own.
 *
 *     npm test -- [--only-jest] [--long] [--changed] [names of test files …]
 *
 * With names only those files are run, without the checks of types, style and tables. `--long` runs what is long by
 * nature instead of the rest; `--changed` checks types and lint, and runs what the changes since the last commit can break. The last line is `N passed, N failed`.
 */
import { spawn } from "node:child_process";
import { createHash } from "node:crypto";
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join, relative } from "node:path";
import { testsOfChange } from "./changed-tests.mjs";
import { ensureNodePackages, ROOT, sayVersions } from "./prerequisites.mjs";
import { runCommand } from "./process.mjs";
import { run, say, step } from "./say.mjs";

const STATE = join(ROOT, ".test-state");
const RESULTS = join(STATE, "results.json");
/** Test files named at the end, the longest first. */
const LONGEST_FILES_SHOWN = 10;

/** Where the rooms' sources lie. */
const SOURCES = ["core", "contract", "hasp", "service", "console", "rehearsal", "cli", "demo"].map(
  (room) => `${room}/src`,
);

/** The compiler that checks types. */
const COMPILER = "node_modules/@typescript/native/bin/tsc";

/** What checks write down of what they have seen, so that they look again only at what has changed since. */
const SEEN = {
  types: join(STATE, "types-seen"),
  pages: join(ROOT, "console", ".svelte-check"),
};

/** As `npm run typecheck` has it. */
const PAGES = [
  ...["--workspace", "console", "--tsconfig", "./tsconfig.json"],
  ...["--tsgo", "--incremental", "--fail-on-warnings"],
];

/** What is checked besides the tests; each counts as one. */
const CHECKS = [
  [
    "checking types",
    [
      ...["node", COMPILER, "-p", "tsconfig.test.json", "--singleThreaded"],
      ...["--incremental", "--tsBuildInfoFile", SEEN.types],
    ],
  ],
  ["checking what imports what", ["depcruise", "--config", ".dependency-cruiser.mjs", ...SOURCES]],
  ["linting", ["oxlint"]],
  ["checking the pages", ["svelte-check", ...PAGES]],
  // That of the pages takes fifteen times as long; `npm run lint` and the long run see to it.
  ["checking the formatting", ["oxfmt", "--check", ".", "!**/*.svelte"]],
  ["checking the table of requirements", ["node", "scripts/assurance.mjs", "--check"]],
];

/** Finds promises that nobody awaits; it needs twice the time. */
const LINTING_WITH_TYPES = [
  "linting with types",
  ["oxlint", "--type-aware", "--tsconfig", "tsconfig.test.json"],
];
const ALL_FORMATTING = ["checking all formatting", ["oxfmt", "--check", "."]];
/** Of what has changed. */
const QUICK_CHECKS = [...CHECKS.filter(([what]) => what === "checking types"), LINTING_WITH_TYPES];

await run(async () => {
  const started = performance.now();
  const given = process.argv.slice(2);
  const isLong = given.includes("--long");
  const names = given.filter((one) => !one.startsWith("--"));
  const isChanged = given.includes("--changed");
  if (isChanged) {
    const { patterns = [], everything } = testsOfChange();
    if (everything !== undefined) say(`Everything is run: ${everything}.`);
    else if (patterns.length === 0)
      return say("Nothing has changed since the last commit.\n0 passed, 0 failed");
    names.push(...patterns);
  }
  const withChecks = !given.includes("--only-jest") && (names.length === 0 || isChanged);
  const checksOf = () => {
    if (isLong) return [LINTING_WITH_TYPES, ALL_FORMATTING];
    return isChanged && names.length > 0 ? QUICK_CHECKS : CHECKS;
  };
  sayVersions();
  await ensureNodePackages();
  // The checks read sources alone. They keep one core busy beside the build, and beside tests that wait for a browser or the database.
  const [checks, tests] = await Promise.all([
    withChecks ? runChecks(checksOf()) : { passed: 0, failed: 0 },
    runJest([...(isLong ? ["--config", "jest.long.config.js"] : []), ...names]),
  ]);
  const passed = checks.passed + tests.passed;
  const failed = checks.failed + tests.failed;
  for (const { name, seconds } of tests.longest) say(`  ${seconds.toFixed(1).padStart(6)} s  ${name}`);
  say(`\n${((performance.now() - started) / 1_000).toFixed(0)} s`);
  say(`${passed} passed, ${failed} failed`);
  process.exitCode = failed === 0 && passed > 0 ? 0 : 1;
});

async function runChecks(checks) {
  let passed = 0;
  let failed = 0;
  dropCachesOnLockfileChange();
  for (const [what, [program, ...args]] of checks) {
    try {
      await step(what, () => runCommand(programOf(program), args, { cwd: ROOT }));
      passed += 1;
    } catch (error) {
      say(error.message);
      failed += 1;
    }
  }
  return { passed, failed };
}

/** Other checkers may judge otherwise: what was seen with them is looked at again. */
function dropCachesOnLockfileChange() {
  mkdirSync(STATE, { recursive: true });
  const note = join(STATE, "seen-with");
  const packages = createHash("sha256")
    .update(readFileSync(join(ROOT, "package-lock.json")))
    .digest("hex");
  if (existsSync(note) && readFileSync(note, "utf8") === packages) return;
  for (const seen of Object.values(SEEN)) rmSync(seen, { recursive: true, force: true });
  writeFileSync(note, packages);
}

function programOf(name) {
  return name === "node" ? process.execPath : join(ROOT, "node_modules", ".bin", name);
}

/** Runs the tests; a test file that could not run at all counts as a failure. */
async function runJest(args) {
  mkdirSync(STATE, { recursive: true });
  rmSync(RESULTS, { force: true });
  const node = ["--experimental-vm-modules", "--disable-warning=ExperimentalWarning"];
  const jest = join(ROOT, "node_modules/jest/bin/jest.js");
  const child = spawn(process.execPath, [...node, jest, "--json", `--outputFile=${RESULTS}`, ...args], {
    cwd: ROOT,
    stdio: ["ignore", "inherit", "inherit"],
  });
  // Ctrl-C reaches the tests as well; they put their database away before this ends.
  process.on("SIGINT", () => undefined);
  const status = await new Promise((resolve) => child.once("close", resolve));
  if (!existsSync(RESULTS)) return { passed: 0, failed: 1, longest: [] };
  const results = JSON.parse(readFileSync(RESULTS, "utf8"));
  const failed = results.numFailedTests + results.numRuntimeErrorTestSuites;
  return {
    passed: results.numPassedTests,
    failed: status === 0 ? failed : Math.max(1, failed),
    longest: longestOf(results.testResults),
  };
}

function longestOf(files) {
  return files
    .map(({ name, startTime, endTime }) => ({
      name: relative(ROOT, name),
      seconds: (endTime - startTime) / 1_000,
    }))
    .sort((left, right) => right.seconds - left.seconds)
    .slice(0, LONGEST_FILES_SHOWN);
}
