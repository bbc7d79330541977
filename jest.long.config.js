/** What is long by nature: `npm run test:long`. */
import { settings, wholeProject } from "./jest.config.js";

export default {
  ...settings,
  projects: [wholeProject("long")],
  reporters: ["default", ["<rootDir>/testing/jest/standstill.mjs", { minutes: 4 * 60 }]],
  testTimeout: 3 * 3_600_000,
};
