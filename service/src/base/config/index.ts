export { checkConfiguration } from "./check.ts";
export { variableOf } from "./environment.ts";
export { ConfigurationError } from "./error.ts";
export { withoutPasswords } from "./describe-issue.ts";
export { keyRingFile, loadConfiguration, readSetting } from "./load.ts";
export type { Configuration, MailSettings } from "./schema.ts";
export { appOfLanding, DEFAULT_COLOUR } from "./schema.ts";
export { warningsOf } from "./warnings.ts";
