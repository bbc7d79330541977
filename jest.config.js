/**
 * Two kinds of tests. Those beside their sources (`src/`) need nothing but what they test and start at once; those in `test/` drive
 * the real thing and bring a database, what is built, and programs. Either way what runs is made of the sources as they are now.
 */
import { runAsModules } from "./testing/jest/as-modules.mjs";

runAsModules();

const common = {
  rootDir: import.meta.dirname,
  testEnvironment: "<rootDir>/testing/jest/environment.cjs",
  runtime: "<rootDir>/testing/jest/runtime.cjs",
  testEnvironmentOptions: { customExportConditions: ["source", "node", "node-addons"] },
  testPathIgnorePatterns: ["/node_modules/", "/dist/"],
  modulePathIgnorePatterns: ["/dist/", "<rootDir>/.lucchetto", "<rootDir>/.test-state"],
  extensionsToTreatAsEsm: [".ts"],
  transform: {
    "^.+\\.ts$": [
      "@swc/jest",
      { jsc: { target: "es2022", parser: { syntax: "typescript" } }, module: { type: "es6" } },
    ],
  },
};

/** @param testMatch of the tests that drive the real thing. */
export const wholeProject = (testMatch) => ({
  ...common,
  testMatch,
  globalSetup: "<rootDir>/testing/global-setup.mjs",
  globalTeardown: "<rootDir>/testing/global-teardown.mjs",
});

export const settings = {
  testSequencer: "<rootDir>/testing/sequencer.mjs",
  reporters: ["default", ["<rootDir>/testing/jest/standstill.mjs", { minutes: 25 }]],
  maxWorkers: 3,
  // A test fails for a fault, not for a slow machine.
  testTimeout: 600_000,
};

export default {
  ...settings,
  projects: [
    { ...common, testMatch: ["<rootDir>/*/src/**/*.test.ts"], globalSetup: "<rootDir>/testing/compile.mjs" },
    wholeProject(["<rootDir>/*/test/**/*.test.ts", "<rootDir>/testing/**/*.test.ts"]),
  ],
};
