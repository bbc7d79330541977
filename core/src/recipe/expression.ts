/**
 * The recipe language, read: how an old system made its password digests, such as `hex(sha1(concat(salt, hex(md5(password)))))`.
 *
 *     recipe     = expression
 *     expression = call / value / text / number
 *     call       = name "(" expression *("," expression) ")"
 *     value      = "password" / "salt" / "username" / "email"
 *     text       = DQUOTE *(any character but DQUOTE and "\" / "\" DQUOTE / "\\") DQUOTE
 *     number     = 1*9DIGIT
 *
 * Spaces and line ends may stand between any two of these.
 */

/** What an account brings along. */
export const RECIPE_VALUES = ["password", "salt", "username", "email"] as const;
/** One of `RECIPE_VALUES`. */
export type RecipeValue = (typeof RECIPE_VALUES)[number];

/** `at` is the column, from 1. */
export type Expression =
  | { readonly kind: "value"; readonly name: RecipeValue; readonly at: number }
  | { readonly kind: "text"; readonly text: string; readonly at: number }
  | { readonly kind: "number"; readonly number: number; readonly at: number }
  | { readonly kind: "call"; readonly name: string; readonly of: readonly Expression[]; readonly at: number };

/** Says what is wrong with a recipe, and where. */
export class RecipeError extends Error {
  override readonly name = "RecipeError";
  /** From 1; of a recipe of several lines counted through. */
  readonly column: number;
  constructor(what: string, column: number) {
    super(`column ${column}: ${what}`);
    this.column = column;
  }
}

/** Characters of a recipe at most. */
export const MAX_RECIPE_LENGTH = 2_000;
const MAX_DEPTH = 32;

interface Token {
  readonly kind: "name" | "text" | "number" | "sign" | "end";
  readonly text: string;
  readonly at: number;
}

const TOKENS =
  /(?<space>\s+)|(?<name>[a-z][a-z0-9]*)|(?<number>\d+)|(?<sign>[(),])|"(?<text>(?:[^"\\]|\\["\\])*)"/uy;

/** @throws RecipeError. */
export function readExpression(source: string): Expression {
  if (source.length > MAX_RECIPE_LENGTH)
    throw new RecipeError(`a recipe has at most ${MAX_RECIPE_LENGTH} characters`, MAX_RECIPE_LENGTH + 1);
  const tokens = tokensOf(source);
  let next = 0;
  const take = (): Token => {
    const token = tokens[next] ?? { kind: "end", text: "", at: source.length + 1 };
    next += 1;
    return token;
  };
  const isNext = (sign: string): boolean => tokens[next]?.kind === "sign" && tokens[next]?.text === sign;

  function expression(depth: number): Expression {
    const { kind, text, at } = take();
    if (depth > MAX_DEPTH) throw new RecipeError(`more than ${MAX_DEPTH} calls inside each other`, at);
    if (kind === "text") return { kind, text, at };
    if (kind === "number") return { kind, number: numberOf(text, at), at };
    if (kind !== "name") throw new RecipeError(`${found(kind, text)}; here a value or a call is wanted`, at);
    if (isNext("(")) return { kind: "call", name: text, of: given(depth), at };
    const name = RECIPE_VALUES.find((one) => one === text);
    if (name !== undefined) return { kind: "value", name, at };
    throw new RecipeError(`there is no value "${text}"; there are ${RECIPE_VALUES.join(", ")}`, at);
  }

  function given(depth: number): Expression[] {
    take();
    const all: Expression[] = [];
    for (;;) {
      all.push(expression(depth + 1));
      const { kind, text, at } = take();
      const sign = kind === "sign" ? text : "";
      if (sign === ")") return all;
      if (sign !== ",") throw new RecipeError(`${found(kind, text)}; here "," or ")" is wanted`, at);
    }
  }

  const whole = expression(1);
  const { kind, text, at } = take();
  if (kind !== "end") throw new RecipeError(`${found(kind, text)} after the end of the recipe`, at);
  return whole;
}

function tokensOf(source: string): Token[] {
  const tokens: Token[] = [];
  for (TOKENS.lastIndex = 0; TOKENS.lastIndex < source.length;) {
    const index = TOKENS.lastIndex;
    const groups = TOKENS.exec(source)?.groups;
    if (groups === undefined) throw new RecipeError(faultAt(source, index), index + 1);
    const { name, number, sign, text } = groups;
    const at = index + 1;
    if (name !== undefined) tokens.push({ kind: "name", text: name, at });
    else if (number !== undefined) tokens.push({ kind: "number", text: number, at });
    else if (sign !== undefined) tokens.push({ kind: "sign", text: sign, at });
    else if (text !== undefined) tokens.push({ kind: "text", text: text.replace(/\\(.)/gu, "$1"), at });
  }
  return tokens;
}

function faultAt(source: string, index: number): string {
  const [character = ""] = source.slice(index);
  if (character === '"')
    return 'a text begins here and does not end; inside it " is written \\" and \\ is written \\\\';
  return `"${character}" is no part of a recipe`;
}

function numberOf(text: string, at: number): number {
  if (text.length > 9) throw new RecipeError("a number has at most nine digits", at);
  return Number(text);
}

function found(kind: Token["kind"], text: string): string {
  return kind === "end" ? "the recipe ends" : `"${text}" stands`;
}

/** Writes it in its one usual form, which reads as the same. */
export function writeExpression(one: Expression): string {
  switch (one.kind) {
    case "value":
      return one.name;
    case "number":
      return String(one.number);
    case "text":
      return `"${one.text.replace(/["\\]/gu, String.raw`\$&`)}"`;
    case "call":
      return `${one.name}(${one.of.map(writeExpression).join(", ")})`;
  }
}
