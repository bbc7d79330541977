export { ConfigurationError, loadConfiguration, variableOf } from "./load.ts";
export type { Configuration } from "./schema.ts";
