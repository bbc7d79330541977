/** What is long by nature: `npm run test:long`. */
import base from "./jest.config.js";

export default { ...base, testMatch: ["<rootDir>/**/*.long.ts"], testTimeout: 3 * 3_600_000 };
