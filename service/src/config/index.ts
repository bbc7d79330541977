export { ConfigurationError, keyRingFile, loadConfiguration, variableOf } from "./load.ts";
export type { Configuration } from "./schema.ts";
