/** A first draft of a plan, from the first rows of a source: what each column seems to be, and why. */
import type { ColumnGuess, FileSource, PlanDraft } from "@lucchetto/contract";
import {
  digestOfHexLength,
  fromModularCrypt,
  fromTaggedDigest,
  readEmail,
  readRecord,
  untaggedCrypt,
} from "@lucchetto/core";
import { Document } from "yaml";
import type { UploadedSource } from "./source.ts";
import { readRows } from "./source.ts";

/** Rows that are looked at. */
const LOOKED_AT = 1_000;

interface Column {
  readonly name: string;
  /** What stands in it where anything does. */
  readonly filled: readonly string[];
}

/** @param writtenAs how the plan names the file: seen from where the plan is kept. @throws SourceError. */
export async function draftPlan(source: UploadedSource, writtenAs = source.path): Promise<PlanDraft> {
  let rows = 0;
  const faults: Array<{ line: number; fault: string }> = [];
  const byName = new Map<string, string[]>();
  for await (const row of readRows(source)) {
    if ("fault" in row) faults.push(row);
    else {
      rows += 1;
      for (const [name, value] of row.values) {
        const filled = byName.get(name) ?? [];
        byName.set(name, filled);
        if (value !== null && value !== "") filled.push(value);
      }
    }
    if (rows + faults.length >= LOOKED_AT) break;
  }
  const columns = [...byName].map(([name, filled]): Column => ({ name, filled }));
  const guesses = withoutRepeatedSalt(guessColumns(columns, rows), columns);
  const taken = new Set(guesses.map(({ column }) => column));
  const leftOut = columns.map(({ name }) => name).filter((name) => !taken.has(name));
  return {
    text: write({ ...source, path: writtenAs }, columns, { guesses, leftOut }),
    guesses,
    leftOut,
    rows,
    faults,
  };
}

/** Names that columns go by, and what has to stand in them. */
interface Kind {
  readonly member: string;
  readonly named: RegExp;
  /** Whether a value can be it. */
  readonly fits: (value: string) => boolean;
  /** Whether what stands there is enough, whatever the name. */
  readonly isPlain?: true;
  readonly words: string;
}

const FLAGS = /^(?:0|1|t|f|y|n|true|false|yes|no)$/i;
const DATE = /^\d{4}-\d{2}-\d{2}(?:[T ]\d{2}:\d{2}(?::\d{2}(?:\.\d+)?)?(?:Z|[+-]\d{2}:?\d{2})?)?$|^\d{9,13}$/;

/** Columns that say the contrary of suspended. */
const USABLE = /^(?:is.?)?(?:active|enabled)$/i;

const KINDS: readonly Kind[] = [
  {
    member: "email",
    named: /mail/i,
    fits: (value) => readEmail(value) !== null,
    isPlain: true,
    words: "addresses",
  },
  {
    member: "totpSecret",
    named: /totp|otp|2fa|two.?factor/i,
    fits: (value) => /^[A-Z2-7]{16,}=*$/i.test(value),
    words: "base32 of 80 bits and more",
  },
  { member: "salt", named: /salt/i, fits: () => true, words: "from its name" },
  {
    member: "verified",
    named: /verif|confirm|activat/i,
    fits: (value) => FLAGS.test(value),
    words: "yes and no",
  },
  {
    member: "suspended",
    named: /ban|block|suspend|disabl|lock/i,
    fits: (value) => FLAGS.test(value),
    words: "yes and no",
  },
  {
    member: "suspended",
    named: USABLE,
    fits: (value) => FLAGS.test(value),
    words: "yes and no, inverted",
  },
  {
    member: "lastSignInAt",
    named: /seen|last.?(?:log|sign|visit|active)/i,
    fits: (value) => DATE.test(value),
    words: "times",
  },
  {
    member: "createdAt",
    named: /creat|regist|joined|since/i,
    fits: (value) => DATE.test(value),
    words: "times",
  },
  {
    member: "labels",
    named: /role|group|label|tag/i,
    fits: (value) => value.length <= 200,
    words: "from its name",
  },
  {
    member: "username",
    named: /user.?name|login|nick|handle|^user$/i,
    fits: (value) => /^\S{1,64}$/.test(value),
    words: "short names without spaces",
  },
  { member: "displayName", named: /name/i, fits: (value) => value.length <= 200, words: "from its name" },
  {
    member: "reference",
    named: /^(?:id|uid|.*_id)$/i,
    fits: (value) => /^[\w-]{1,64}$/.test(value),
    words: "a different short value in each row",
  },
];

/** A salt's column that only repeats what stands inside the hashes is of no use, and is said to be none. */
function withoutRepeatedSalt(guesses: readonly ColumnGuess[], columns: readonly Column[]): ColumnGuess[] {
  const of = (member: string): Column | undefined =>
    columns.find(({ name }) => name === guesses.find((one) => one.member === member)?.column);
  const [salt, password] = [of("salt"), of("password")];
  const repeats =
    salt !== undefined &&
    password !== undefined &&
    salt.filled.length === password.filled.length &&
    salt.filled.every((value, row) => password.filled[row]?.includes(value) === true);
  if (!repeats) return [...guesses];
  const note = `; column "${salt.name}" only repeats the salt, and is left out`;
  return guesses.flatMap((one) => {
    if (one.member === "salt") return [];
    return one.member === "password" ? [{ ...one, reason: one.reason + note }] : [one];
  });
}

/** Share of the values that has to fit: old tables hold faults. */
const MOSTLY = 0.8;

function guessColumns(columns: readonly Column[], rows: number): ColumnGuess[] {
  const guesses: ColumnGuess[] = [];
  const isFree = ({ name }: Column): boolean => guesses.every(({ column }) => column !== name);
  const take = (member: string, { name, filled }: Column, { fits, words }: Kind): void => {
    const fitting = filled.filter(fits).length;
    const rest = filled.length - fitting;
    const unfit = rest === 0 ? "" : `; ${rest} ${rest === 1 ? "value is" : "values are"} not`;
    guesses.push({ member, column: name, reason: `${fitting} of ${rows} rows have one: ${words}${unfit}` });
  };
  const password = passwordColumn(columns);
  if (password !== null) guesses.push(password);
  for (const kind of KINDS) {
    const { member, named, fits, isPlain } = kind;
    const found = columns
      .filter((one) => isFree(one) && one.filled.length > 0)
      .filter(({ filled }) => filled.filter(fits).length >= filled.length * MOSTLY)
      .filter(({ name }) => isPlain === true || named.test(name))
      .toSorted((left, right) => Number(named.test(right.name)) - Number(named.test(left.name)))[0];
    if (found === undefined || guesses.some((guess) => guess.member === member)) continue;
    if (member === "reference" && new Set(found.filled).size !== rows) continue;
    take(member, found, kind);
  }
  return guesses;
}

/** A form in which passwords are kept, recognised by one value. */
interface Form {
  /** The same for all values of the same form. */
  readonly words: string;
  readonly kind: "hash" | "recipe";
  readonly begins?: string;
  readonly hex?: number;
  /** Of letters of hexadecimal: the digest that makes as many. */
  readonly digest?: string;
}

function formOf(value: string): Form | null {
  const [tag] = /^\{[A-Za-z0-9]+\}/.exec(value) ?? [];
  if (tag !== undefined && (fromTaggedDigest(value) !== null || untaggedCrypt(value) !== null))
    return { words: `values of a directory beginning with ${tag}`, kind: "hash", begins: tag };
  const modular = fromModularCrypt(value);
  if (modular !== null) {
    const [, id = "", parameters = ""] = modular.split("$");
    const begins = value.slice(0, value.indexOf("$", 1) + 1);
    return {
      words: `${value.length} characters beginning with ${begins}: ${id.replace(/-2.$/, "")}, ${parameters.replace("=", " ")}`,
      kind: "hash",
      begins,
    };
  }
  if (value.startsWith("$")) {
    try {
      const { scheme } = readRecord(value);
      return { words: `PHC strings: ${scheme.text}`, kind: "hash", begins: `$${scheme.algorithm.id}$` };
    } catch {
      // It only begins like a PHC string: no guess.
      return null;
    }
  }
  const digest = digestOfHexLength(value.length);
  if (digest === null || !/^[0-9a-f]+$/i.test(value)) return null;
  return {
    words: `${value.length} hexadecimal digits, like ${digest}`,
    kind: "recipe",
    digest,
    hex: value.length,
  };
}

function formsOf({ filled }: Column): {
  readonly forms: ReadonlyMap<string, Form>;
  readonly unknown: number;
} {
  const forms = new Map<string, Form>();
  let unknown = 0;
  for (const value of filled) {
    const form = formOf(value);
    if (form === null) unknown += 1;
    else forms.set(form.words, form);
  }
  return { forms, unknown };
}

const NAMED_PASSWORD = /pass|pwd|^pw|hash|digest|secret/i;

function passwordColumn(columns: readonly Column[]): ColumnGuess | null {
  const found = columns
    .map((one) => ({ one, ...formsOf(one), isNamed: NAMED_PASSWORD.test(one.name) }))
    .filter(({ forms, isNamed }) => forms.size > 0 || isNamed)
    .toSorted(
      (left, right) => Number(right.isNamed) - Number(left.isNamed) || right.forms.size - left.forms.size,
    )[0];
  if (found === undefined) return null;
  const known = [...found.forms.keys()].map((words) => `it holds ${words}`);
  const rest =
    found.unknown === 0
      ? []
      : [`${found.unknown} ${found.unknown === 1 ? "row has" : "rows have"} something unrecognised`];
  return { member: "password", column: found.one.name, reason: [...known, ...rest].join("; ") };
}

function write(
  source: FileSource,
  columns: readonly Column[],
  { guesses, leftOut }: Pick<PlanDraft, "guesses" | "leftOut">,
): string {
  const of = (member: string): string | undefined => guesses.find((one) => one.member === member)?.column;
  const plan: Record<string, unknown> = {
    source: {
      file: source.path,
      format: source.format,
      ...(source.format === "csv" ? { delimiter: source.delimiter } : {}),
      encoding: source.encoding,
    },
    columns: Object.fromEntries(
      guesses
        .filter(({ member }) => member !== "password" && member !== "salt")
        .map(({ member, column }): [string, unknown] => [member, valueOf(member, column, columns)]),
    ),
    passwords: waysOf(
      columns.find(({ name }) => name === of("password")),
      of("salt"),
    ),
  };
  const document = new Document(plan);
  document.commentBefore = [
    " A draft: read the reasons, and correct what is wrong.",
    " A recipe is tried with: lucchetto recipe try",
    ...guesses.map(({ member, column, reason }) => ` ${member}: column "${column}": ${reason}`),
    ...(leftOut.length === 0 ? [] : [` Left out: ${leftOut.join(", ")}`]),
  ].join("\n");
  return document.toString({ lineWidth: 0 });
}

/** What a plan says of a column. */
function valueOf(member: string, column: string, columns: readonly Column[]): unknown {
  if (member === "labels") return { column, separator: "," };
  if (member === "suspended" && USABLE.test(column))
    return { column, when: saidOf(columns, column, NO), not: saidOf(columns, column, YES) };
  if (member === "verified" || member === "suspended") return { column, when: saidOf(columns, column, YES) };
  return column;
}

const YES = { pattern: /^(?:1|t|y|true|yes)$/i, usual: "1" };
const NO = { pattern: /^(?:0|f|n|false|no)$/i, usual: "0" };

/** What means yes, or no, among the values of such a column. */
function saidOf(columns: readonly Column[], name: string, { pattern, usual }: typeof YES): string[] {
  const filled = columns.find((one) => one.name === name)?.filled ?? [];
  const said = [...new Set(filled)].filter((value) => pattern.test(value));
  return said.length > 0 ? said : [usual];
}

function waysOf(column: Column | undefined, salt: string | undefined): unknown[] {
  if (column === undefined) return [];
  const { forms } = formsOf(column);
  const byCondition = new Map([...forms.values()].map((form) => [form.begins ?? form.hex, form]));
  return [...byCondition.values()].map(({ kind, begins, hex, digest }) => ({
    when: { column: column.name, ...(begins === undefined ? { hex } : { begins }) },
    column: column.name,
    kind,
    ...(digest === undefined ? {} : recipeOf(digest, salt)),
  }));
}

/** The recipe that is tried first; nobody can see from a digest how it was made. */
function recipeOf(digest: string, salt: string | undefined): { recipe: string; salt?: string } {
  return salt === undefined
    ? { recipe: `hex(${digest}(password))` }
    : { recipe: `hex(${digest}(concat(salt, password)))`, salt };
}
