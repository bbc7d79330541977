/** What is wrong with a setting, in words: what was found, what is expected, and where it may have been meant to stand. */
import type { z } from "zod";
import { leavesOf, unwrap, variableOf } from "./environment.ts";
import type { Tree } from "./file.ts";
import { configurationSchema } from "./schema.ts";

/** A line for each thing that is wrong. */
export function describeIssue(issue: z.core.$ZodIssue, merged: Tree): string[] {
  const path = issue.path.map(String);
  if (issue.code === "unrecognized_keys") {
    return issue.keys.map((key) => `${[...path, key].join(".")}: there is no such setting`);
  }
  const setting = path.filter((part) => !/^\d+$/.test(part)).join(".");
  const value = valueAt(merged, setting.split("."));
  const expected = expectedAt(setting);
  if (value === undefined)
    return [`${setting}: missing, expected ${expected} (or set ${variableOf(setting)})`];
  return [`${setting}: found ${show(value)}, expected ${expected}${hintIfSwapped(value, setting)}`];
}

function expectedAt(setting: string): string {
  const leaf = leavesOf(configurationSchema).get(setting);
  return leaf?.meta()?.expected ?? (leaf && unwrap(leaf).meta()?.expected) ?? "a group of settings";
}

/** What stands at a path of the tree. */
export function valueAt(tree: unknown, path: readonly string[]): unknown {
  return path.reduce<unknown>(
    (branch, name) => (typeof branch === "object" && branch !== null ? (branch as Tree)[name] : undefined),
    tree,
  );
}

const MAX_SHOWN_LENGTH = 80;

function show(value: unknown): string {
  const text = withoutPasswords(JSON.stringify(value));
  return text.length > MAX_SHOWN_LENGTH ? `${text.slice(0, MAX_SHOWN_LENGTH)}…` : text;
}

/** A text with the passwords taken out of the addresses in it. */
export function withoutPasswords(text: string): string {
  return text.replace(/:\/\/([^:@/"]*):[^@"]*@/g, "://$1:…@");
}

/** Says so when a value plainly belongs to another setting. */
function hintIfSwapped(value: unknown, setting: string): string {
  if (typeof value !== "string") return "";
  const home = HOMES.find(({ looks }) => looks.test(value));
  if (home === undefined || home.settings.includes(setting)) return "";
  return `; this looks like ${home.what} and belongs to ${home.settings.join(" or ")} (are two values swapped?)`;
}

const HOMES = [
  { looks: /^https?:\/\//, what: "a web address", settings: ["publicUrl"] },
  { looks: /^(mariadb|mysql):\/\//, what: "a database address", settings: ["database.url"] },
  { looks: /^\$[a-z0-9-]+\$/, what: "a password scheme", settings: ["passwords.hashing.scheme"] },
  { looks: /^(development|production)$/, what: "a mode", settings: ["mode"] },
];
