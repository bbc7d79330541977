/** Loads the configuration: one yaml file, each value overridable by an environment variable, secrets apart. */
import { dirname, resolve } from "node:path";
import { checkConfiguration } from "./check.ts";
import { valueAt } from "./describe-issue.ts";
import { variableOf } from "./environment.ts";
import type { Tree } from "./file.ts";
import { readYaml } from "./file.ts";
import type { Configuration } from "./schema.ts";
import type { Environment } from "./secrets.ts";

/**
 * Loads and checks everything, and says all that is wrong at once.
 * @param path of the yaml file; it may be missing if the environment says everything.
 * @throws ConfigurationError.
 */
export function loadConfiguration(path: string, environment: Environment = process.env): Configuration {
  return checkConfiguration(readYaml(path), dirname(path), { source: path, environment });
}

/** One setting as it stands: the environment's, else the file's. @returns `undefined` where neither says it. */
export function readSetting(
  path: string,
  setting: string,
  environment: Environment = process.env,
): string | undefined {
  const value = valueAt(readYaml(path), setting.split("."));
  return environment[variableOf(setting)] ?? (typeof value === "string" ? value : undefined);
}

/** Where the key ring lies, whatever else is wrong with the configuration: beside it unless it says otherwise. */
export function keyRingFile(path: string, environment: Environment = process.env): string {
  const keys = readYaml(path)["keys"];
  const named = typeof keys === "object" && keys !== null ? (keys as Tree)["file"] : undefined;
  const file = environment[variableOf("keys.file")] ?? named;
  return resolve(dirname(path), typeof file === "string" ? file : "keys.yaml");
}
