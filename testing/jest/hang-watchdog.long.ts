/** A worker that stands still as a whole does not hold up the tests for ever. */
import { execFile } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { expect, test } from "@jest/globals";

const JEST = fileURLToPath(new URL("../../node_modules/jest/bin/jest.js", import.meta.url));
const STANDSTILL = fileURLToPath(new URL("./hang-watchdog.mjs", import.meta.url));
/** Far more than a file of one line needs on a busy machine. */
const MINUTES = 0.5;

/** No timer fires, not even the test's own timeout. */
const STANDS_STILL = `test("stands still", () => Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0));`;
const GOES_ON = `test("goes on", () => undefined);`;

test("a test file that stands still is named and ended, and the others count", async () => {
  const root = mkdtempSync(join(tmpdir(), "lucchetto-hang-watchdog-"));
  mkdirSync(join(root, "a"));
  writeFileSync(join(root, "a", "still.test.js"), STANDS_STILL);
  for (const name of ["one", "two"]) writeFileSync(join(root, "a", `${name}.test.js`), GOES_ON);
  const results = join(root, "results.json");
  const config = { rootDir: root, transform: {}, reporters: [[STANDSTILL, { minutes: MINUTES }]] };
  const args = ["--config", JSON.stringify(config), "--maxWorkers", "2", "--json", "--outputFile", results];
  const { status, err } = await new Promise<{ status: unknown; err: string }>((resolve) => {
    execFile(process.execPath, [JEST, ...args], { cwd: root }, (error, _out, stderr) =>
      resolve({ status: error?.code ?? 0, err: stderr }),
    );
  });
  expect([status, err]).toEqual([
    1,
    expect.stringContaining(
      `No test has ended for ${MINUTES} minutes. What is under way is ended: a/still.test.js\n`,
    ),
  ]);
  expect(JSON.parse(readFileSync(results, "utf8"))).toMatchObject({
    numPassedTests: 2,
    numRuntimeErrorTestSuites: 1,
  });
});
