/**
 * Two kinds of tests. Those beside their sources (`src/`) need nothing but what they test and start at once; those in `test/` drive
 * the real thing and bring a database, what is built, and programs. Either way what runs is made of the sources as they are now.
 */
import { existsSync } from "node:fs";
import { join } from "node:path";
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

const ROOMS = ["core", "contract", "hasp", "service", "console", "rehearsal", "cli", "demo"];
/** What Jest looks through for tests: all of the workspace, with its packages, would take a second. */
const foldersOf = (kind) =>
  ROOMS.map((room) => join(import.meta.dirname, room, kind)).filter((folder) => existsSync(folder));

/** @param endings of the names of tests that drive the real thing. @param more patterns of test files besides. */
export const wholeProject = (endings, more = []) => ({
  ...common,
  roots: [...foldersOf("test"), "<rootDir>/testing"],
  testMatch: [`<rootDir>/**/*.${endings}.ts`, ...more],
  globalSetup: "<rootDir>/testing/global-setup.mjs",
  globalTeardown: "<rootDir>/testing/global-teardown.mjs",
});

export const settings = {
  watchman: false,
  testSequencer: "<rootDir>/testing/sequencer.mjs",
  reporters: ["default", ["<rootDir>/testing/jest/hang-watchdog.mjs", { minutes: 25 }]],
  maxWorkers: 4,
  // A test fails for a fault, not for a slow machine.
  testTimeout: 600_000,
};

export default {
  ...settings,
  projects: [
    {
      ...common,
      roots: foldersOf("src"),
      testMatch: ["<rootDir>/*/src/**/*.test.ts"],
      globalSetup: "<rootDir>/testing/compile.mjs",
    },
    wholeProject("test"),
  ],
};
