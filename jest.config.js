/** Tests run on the sources; rooms are imported by name through the export condition "source". */
export default {
  testEnvironment: "<rootDir>/testing/jest/environment.cjs",
  runtime: "<rootDir>/testing/jest/runtime.cjs",
  testEnvironmentOptions: { customExportConditions: ["source", "node", "node-addons"] },
  testMatch: ["<rootDir>/**/*.test.ts"],
  testPathIgnorePatterns: ["/node_modules/", "/dist/"],
  modulePathIgnorePatterns: ["/dist/", "<rootDir>/.lucchetto", "<rootDir>/.test-state"],
  extensionsToTreatAsEsm: [".ts"],
  transform: {
    "^.+\\.ts$": [
      "@swc/jest",
      { jsc: { target: "es2022", parser: { syntax: "typescript" } }, module: { type: "es6" } },
    ],
  },
  globalSetup: "<rootDir>/testing/global-setup.mjs",
  globalTeardown: "<rootDir>/testing/global-teardown.mjs",
  testSequencer: "<rootDir>/testing/sequencer.mjs",
  reporters: ["default", ["<rootDir>/testing/jest/standstill.mjs", { minutes: 25 }]],
  maxWorkers: 3,
  // A test fails for a fault, not for a slow machine.
  testTimeout: 600_000,
};
