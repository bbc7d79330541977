/** The plan of an intake, read from its yaml: which column is what, and how the passwords were kept. */
import { readFileSync } from "node:fs";
import { dirname, resolve } from "node:path";
import type { DatabaseSource } from "@lucchetto/contract";
import { BUILT_IN_LABELS, label, SOURCE_ENCODINGS, SOURCE_FORMATS } from "@lucchetto/contract";
import type { Recipe } from "@lucchetto/core";
import { LANGUAGES, readRecipe, RecipeError } from "@lucchetto/core";
import type { YAMLParseError } from "yaml";
import { parseDocument } from "yaml";
import { z } from "zod";
import type { UploadedSource } from "./source.ts";

/** What is wrong with a plan, for the person who wrote it. */
export class PlanError extends Error {
  override readonly name = "PlanError";
}

const column = z.string().min(1).max(200);
const fixed = <Value extends z.ZodType>(value: Value) => z.strictObject({ value });

const condition = z
  .strictObject({
    column,
    is: z.union([z.string(), z.array(z.string()).min(1)]).optional(),
    begins: z.string().min(1).optional(),
    hex: z.int().min(8).max(256).optional(),
  })
  .refine(
    ({ is, begins, hex }) => [is, begins, hex].filter((test) => test !== undefined).length === 1,
    "expected column and one of is, begins and hex",
  );
export type Condition = z.infer<typeof condition>;

const when = condition.optional();
const way = z.discriminatedUnion("kind", [
  z.strictObject({ kind: z.literal("hash"), when, column }),
  z.strictObject({ kind: z.literal("plain"), when, column }),
  z.strictObject({ kind: z.literal("none"), when }),
  z.strictObject({
    kind: z.literal("recipe"),
    when,
    column,
    recipe: z.string().min(1),
    stored: z.enum(["text", "hex", "base64"]).optional(),
    salt: column.optional(),
    saltAs: z.enum(["text", "hex", "base64"]).default("text"),
    username: column.optional(),
    email: column.optional(),
  }),
]);

const givenLabel = label.refine(
  (name) => !BUILT_IN_LABELS.includes(name),
  "an import cannot assign this label",
);
const flag = z.union([
  z.boolean(),
  z.strictObject({
    column,
    when: z.array(z.string()).min(1),
    /** What means no, beside nothing, `0`, `false` and `no`. */
    not: z.array(z.string()).default([]),
  }),
]);

const fileSource = z.strictObject({
  file: z.string().min(1),
  format: z.enum(SOURCE_FORMATS),
  delimiter: z
    .string()
    .regex(/^[\t -~]$/, "expected one character such as ; or a tab")
    .default(","),
  encoding: z.enum(SOURCE_ENCODINGS).default("utf-8"),
});

const databaseSource = z
  .strictObject({
    database: z
      .string()
      .regex(
        /^(?:mariadb|mysql):\/\/[^:@]+@/,
        "expected mariadb://user@host:port/name, without the password",
      ),
    passwordFile: z.string().min(1).optional(),
    table: z.string().regex(/^\w+$/, "expected the name of a table").optional(),
    select: z.string().min(1).max(20_000).optional(),
    key: z.string().regex(/^\w+$/, "expected the name of a column"),
  })
  .refine(
    ({ table, select }) => (table === undefined) !== (select === undefined),
    "expected table or select",
  );

const planSchema = z.strictObject({
  source: z.union([fileSource, databaseSource]),
  columns: z
    .strictObject({
      email: column.optional(),
      username: column.optional(),
      displayName: column.optional(),
      reference: column.optional(),
      labels: z
        .union([
          z.strictObject({
            column,
            separator: z.string().min(1).max(5).default(","),
            only: z.array(givenLabel).optional(),
          }),
          fixed(z.array(givenLabel).max(20)),
        ])
        .optional(),
      language: z.union([column, fixed(z.enum(LANGUAGES))]).optional(),
      verified: flag.default(false),
      suspended: flag.default(false),
      createdAt: column.optional(),
      lastSignInAt: column.optional(),
      totpSecret: column.optional(),
    })
    .refine(
      ({ email, username }) => email !== undefined || username !== undefined,
      "expected email or username: people sign in with one of them",
    ),
  passwords: z.array(way).max(20).default([]),
  existing: z.enum(["refuse", "fill"]).default("refuse"),
  fillByUsername: z.boolean().default(false),
});

type Parsed = z.infer<typeof planSchema>;
export type Flag = z.infer<typeof flag>;
type ParsedWay = Parsed["passwords"][number];

/** A way in which passwords were kept, its recipe read. */
export type Way =
  | Exclude<ParsedWay, { kind: "recipe" }>
  | (Extract<ParsedWay, { kind: "recipe" }> & { readonly read: Recipe });

export interface Plan {
  readonly source: UploadedSource | DatabaseSource;
  readonly columns: Parsed["columns"];
  readonly ways: readonly Way[];
  /** What becomes of rows whose account is there already. */
  readonly existing: Parsed["existing"];
  /** A username alone, which proves nothing, is enough to say whose row it is. */
  readonly fillByUsername: boolean;
  /** As it was written. */
  readonly text: string;
  /** Rows that were refused and mended, by their lines: these alone are taken. */
  readonly mended?: ReadonlyMap<number, ReadonlyMap<string, string | null>>;
}

const MAX_PLAN_LENGTH = 60_000;

/** @param path of the plan; the source is looked for beside it. @throws PlanError. */
export function readPlan(path: string): Plan {
  let text: string;
  try {
    text = readFileSync(path, "utf8");
  } catch (error) {
    throw new PlanError(`${path} cannot be read: ${(error as Error).message}`, { cause: error });
  }
  const source = (file: string): string => resolve(dirname(resolve(path)), file);
  return parsePlan(text, { name: path, source });
}

/** @param source where a file of the plan lies. @throws PlanError that names each fault and where it stands. */
export function parsePlan(
  text: string,
  { name, source }: { name: string; source: (file: string) => string },
): Plan {
  if (text.length > MAX_PLAN_LENGTH)
    throw new PlanError(`${name}: longer than ${MAX_PLAN_LENGTH} characters.`);
  const document = parseDocument(text, { maxAliasCount: 0 } as object);
  if (document.errors.length > 0) {
    const faults = document.errors.map((fault) => `  ${whereOf(fault)}`);
    throw new PlanError([`${name} is not readable as YAML:`, ...new Set(faults)].join("\n"));
  }
  const parsed = planSchema.safeParse(document.toJS({ maxAliasCount: 0 }), { reportInput: false });
  if (!parsed.success) {
    const faults = parsed.error.issues.flatMap(linesOf).map((line) => `  ${line}`);
    throw new PlanError([`${name} is not a valid plan:`, ...new Set(faults)].join("\n"));
  }
  const { columns, passwords, existing, fillByUsername } = parsed.data;
  const faults: string[] = [];
  const ways = passwords.flatMap((one, index): Way[] => {
    if (one.kind !== "recipe") return [one];
    try {
      const read = readRecipe(one.recipe);
      assertBrought(one, read, columns, `passwords.${index}`);
      return [{ ...one, read }];
    } catch (error) {
      if (!(error instanceof RecipeError || error instanceof PlanError)) throw error;
      faults.push(
        error instanceof RecipeError ? `passwords.${index}.recipe, ${error.message}.` : error.message,
      );
      return [];
    }
  });
  const [first] = faults;
  if (first !== undefined)
    throw new PlanError(
      faults.length === 1
        ? `${name}: ${first}`
        : [`${name}: ${faults.length} recipes cannot be used:`, ...faults.map((one) => `  ${one}`)].join(
            "\n",
          ),
    );
  return { source: sourceOf(parsed.data.source, source), columns, ways, existing, fillByUsername, text };
}

/** In the words of somebody who writes a plan: where it stands, and what is usually meant. */
function whereOf({ code, linePos, message }: YAMLParseError): string {
  const [from] = linePos ?? [];
  const place = from === undefined ? "somewhere" : `line ${from.line}, column ${from.col}`;
  return `${place}: ${YAML_FAULTS[code] ?? message.split("\n")[0]?.replace(/ at line \d+.*$/, "") ?? ""}`;
}

const YAML_FAULTS: Partial<Record<YAMLParseError["code"], string>> = {
  MULTILINE_IMPLICIT_KEY: "a line without a colon; every setting is written as name: value",
  BLOCK_AS_IMPLICIT_KEY: "two settings in one line, or a value with a colon; put such a value into quotes",
  MISSING_CHAR: "a quote or bracket is not closed",
  TAB_AS_INDENT: "lines are indented by blanks, not by tabs",
  BAD_INDENT: "this line is not indented as the ones beside it",
  DUPLICATE_KEY: "this setting stands there twice",
};

function sourceOf(found: Parsed["source"], at: (file: string) => string): Plan["source"] {
  if ("file" in found) {
    const { file, ...rest } = found;
    return { path: at(file), ...rest };
  }
  const { passwordFile, ...rest } = found;
  return { ...rest, ...(passwordFile === undefined ? {} : { passwordFile: at(passwordFile) }) };
}

/** Whatever a recipe uses has to come from a column. */
function assertBrought(
  { salt, username, email }: Extract<ParsedWay, { kind: "recipe" }>,
  { uses }: Recipe,
  columns: Parsed["columns"],
  where: string,
): void {
  const brought = { salt, username: username ?? columns.username, email: email ?? columns.email };
  for (const name of ["salt", "username", "email"] as const)
    if (uses.includes(name) && brought[name] === undefined)
      throw new PlanError(`${where}: the recipe uses ${name}; set its column with ${name}.`);
}

/** One or more lines, each with its place, and what was expected. */
function linesOf(issue: z.core.$ZodIssue): string[] {
  const place = issue.path.map(String).join(".") || "the plan";
  if (issue.code === "unrecognized_keys")
    return issue.keys.map((key) => `${[...issue.path.map(String), key].join(".")}: there is no such setting`);
  if (issue.code === "invalid_union") {
    const within = issue.errors
      .filter((some) => some.length > 0)
      // The alternative that came closest says what is missing.
      .toSorted((left, right) => left.length - right.length)[0];
    if (within !== undefined)
      return within.flatMap((one) => linesOf({ ...one, path: [...issue.path, ...one.path] }));
  }
  return [`${place}: ${issue.message.replace(/^Invalid input: /, "")}`];
}
