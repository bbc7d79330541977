/** `npm test -- --changed` knows for every folder of the service what its tests are called, and those are there. */
import { execFileSync } from "node:child_process";
import { expect, test } from "@jest/globals";
import { foldersWithoutTests, TESTS_OF, testsOfChange } from "../scripts/changed-tests.mjs";
import { ROOT } from "../scripts/prerequisites.mjs";

const tests = execFileSync("git", ["ls-files", "-co", "--exclude-standard", "*.test.ts"], {
  cwd: ROOT,
  encoding: "utf8",
}).split("\n");

test("every folder has a line, and each name in it is that of a test", () => {
  expect(foldersWithoutTests()).toEqual([]);
  const names = new Set(tests.map((path) => /([\w-]+)\.test\.ts$/.exec(path)?.[1]));
  for (const [folder, listed] of Object.entries(TESTS_OF))
    expect([folder, listed.filter((name) => names.has(name))]).not.toEqual([folder, []]);
});

test("what it takes are the tests of the capability; what everything stands on takes all of them", () => {
  const takenFor = (...files: string[]) => {
    const { patterns = [] } = testsOfChange(files);
    return tests.filter((path) => patterns.some((pattern) => new RegExp(pattern).test(path)));
  };
  const ofPasskeys = takenFor("service/src/people/passkey/challenge.ts");
  expect(ofPasskeys).toEqual(expect.arrayContaining(["service/test/passkey.test.ts"]));
  expect(ofPasskeys.length).toBeLessThan(6);
  expect(takenFor("core/src/totp/totp.ts")).toContain("core/src/totp/totp.test.ts");
  expect(takenFor("hasp/src/guard.ts")).toContain("hasp/test/guard.test.ts");
  expect(takenFor("docs/running.md")).toEqual([]);
  for (const file of ["testing/service.ts", "package-lock.json", "service/src/records/context.ts"])
    expect(testsOfChange([file]).everything).toContain(file);
});
