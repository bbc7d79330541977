/** What is long by nature: `npm run test:long`. */
import { settings, wholeProject } from "./jest.config.js";

/** Of these `npm test` goes through a sample (`testing/whole.ts`). */
process.env.WHOLE = "1";
const SAMPLED = [
  "console/test/*.test.ts",
  "cli/test/{export,front,hash,import-later,integrate,setup-again,usage}.test.ts",
  "demo/test/runner.test.ts",
  "hasp/test/{archives,guard,live,two-hosts}.test.ts",
  "rehearsal/test/{faults,parts,rehearsal,way-home}.test.ts",
  "service/test/{chain,ended-sessions,owners-and-strangers,recovery-table,takeover}.test.ts",
].map((pattern) => `<rootDir>/${pattern}`);

export default {
  ...settings,
  projects: [wholeProject("long", SAMPLED)],
  reporters: ["default", ["<rootDir>/testing/jest/hang-watchdog.mjs", { minutes: 4 * 60 }]],
  testTimeout: 3 * 3_600_000,
};
