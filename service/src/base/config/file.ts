/** The configuration's file, as it is written. */
import { readFileSync } from "node:fs";
import { parse } from "yaml";
import { ConfigurationError } from "./error.ts";

/** Settings by name, as the yaml has them. */
export type Tree = Record<string, unknown>;

/** Reads it; a missing file holds nothing. @throws ConfigurationError. */
export function readYaml(path: string): Tree {
  let text: string;
  try {
    text = readFileSync(path, "utf8");
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") return {};
    throw new ConfigurationError(path, [`the file cannot be read: ${(error as Error).message}`]);
  }
  try {
    const tree: unknown = parse(text) ?? {};
    if (typeof tree === "object" && tree !== null && !Array.isArray(tree)) return tree as Tree;
  } catch (error) {
    throw new ConfigurationError(path, [`the file is not YAML: ${(error as Error).message.split("\n")[0]}`]);
  }
  throw new ConfigurationError(path, ["the file does not hold settings of the form `name: value`"]);
}
