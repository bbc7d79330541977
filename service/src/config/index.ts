export { ConfigurationError, keyRingFile, loadConfiguration, variableOf } from "./load.ts";
export type { Configuration, MailSettings } from "./schema.ts";
export { DEFAULT_COLOUR } from "./schema.ts";
