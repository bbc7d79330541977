/** Settings by environment variables: `LUCCHETTO_` and the setting's path in capitals. */
import { parse } from "yaml";
import { z } from "zod";
import type { Tree } from "./file.ts";
import { configurationSchema } from "./schema.ts";
import type { Environment } from "./secrets.ts";
import { SECRET_VARIABLES } from "./secrets.ts";

const PREFIX = "LUCCHETTO_";
/** Variables with the prefix that are not settings. */
const NOT_SETTINGS: ReadonlySet<string> = new Set([
  "LUCCHETTO_CONFIG",
  "LUCCHETTO_URL",
  "LUCCHETTO_SOURCE_PASSWORD",
  "LUCCHETTO_PROFILE",
  "LUCCHETTO_ADMIN_PASSWORD",
  ...Object.values(SECRET_VARIABLES),
]);

/** Every single setting with its schema, by its path. */
export function leavesOf(schema: z.ZodType, path: readonly string[] = []): Map<string, z.ZodType> {
  const inner = unwrap(schema);
  if (!(inner instanceof z.ZodObject)) return new Map([[path.join("."), schema]]);
  const leaves = new Map<string, z.ZodType>();
  for (const [name, member] of Object.entries(inner.shape)) {
    for (const [leafPath, leaf] of leavesOf(member as z.ZodType, [...path, name])) leaves.set(leafPath, leaf);
  }
  return leaves;
}

export function unwrap(schema: z.ZodType): z.ZodType {
  if (schema instanceof z.ZodPrefault || schema instanceof z.ZodDefault || schema instanceof z.ZodOptional) {
    return unwrap(schema.def.innerType as z.ZodType);
  }
  return schema;
}

/** `passwords.minimumLength` → `LUCCHETTO_PASSWORDS_MINIMUM_LENGTH`. */
export function variableOf(path: string): string {
  return (
    PREFIX +
    path
      .replace(/[A-Z]/g, (letter) => `_${letter}`)
      .replaceAll(".", "_")
      .toUpperCase()
  );
}

/**
 * What the file says, with what the environment says in its place.
 * @param faults is told of variables that are no setting's.
 */
export function overrideFrom(environment: Environment, fromFile: Tree, faults: string[]): Tree {
  const merged = structuredClone(fromFile);
  const known = new Map(
    [...leavesOf(configurationSchema)].map(([path, leaf]) => [variableOf(path), { path, leaf }]),
  );
  for (const [name, text] of Object.entries(environment)) {
    if (!name.startsWith(PREFIX) || text === undefined || NOT_SETTINGS.has(name)) continue;
    const setting = known.get(name);
    if (setting === undefined) {
      faults.push(
        `${name}: no setting has this variable; the variables are ${PREFIX} and the setting's path in capitals`,
      );
      continue;
    }
    setPath(merged, setting.path.split("."), readVariable(text, setting.leaf));
  }
  return merged;
}

/** A variable is taken as the text it is where the setting takes text, else read as a YAML value (`8420`, `[a, b]`). */
function readVariable(text: string, leaf: z.ZodType): unknown {
  if (leaf.safeParse(text).success) return text;
  try {
    return parse(text);
  } catch {
    // No YAML: the schema says what is wrong with it as text.
    return text;
  }
}

function setPath(tree: Tree, path: readonly string[], value: unknown): void {
  const [first = "", ...rest] = path;
  if (rest.length === 0) {
    tree[first] = value;
    return;
  }
  const below = tree[first];
  const branch = typeof below === "object" && below !== null ? (below as Tree) : {};
  tree[first] = branch;
  setPath(branch, rest, value);
}
