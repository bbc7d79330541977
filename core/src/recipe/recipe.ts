/** A recipe that was found to be sound, and what it makes of a password. */
import { countCodePoints } from "../password/prepare.ts";
import { equalInConstantTime } from "../password/record.ts";
import type { Expression, RecipeValue } from "./expression.ts";
import { readExpression, RecipeError, writeExpression } from "./expression.ts";
import type { Given, Kind, Parameter, RecipeFunction, Size, Value } from "./functions.ts";
import { bytesOf, DIGEST_NAMES, FUNCTIONS, sizeInBytes } from "./functions.ts";

/** Characters of what an account brings along, at most; longer is not looked at. */
const MAX_LENGTHS: Readonly<Record<RecipeValue, number>> = {
  password: 256,
  salt: 1_024,
  username: 255,
  email: 320,
};
/** Bytes that a value may reach, whatever the account brings along. */
const MAX_VALUE = 2 ** 20;
/** Bytes that all digests of a recipe may read together. */
const MAX_DIGESTED = 4 * MAX_VALUE;
/**
 * Bytes (of a text, characters) that all its calls may read and make together, so that the worst recipe runs for less than 100 ms, its
 * deliberately slow functions aside. `bench/recipes.mjs` measures it.
 */
const MAX_HANDLED = 6 * MAX_VALUE;
/** Functions that are made to be dear. */
const MAX_DEAR = 2;
/** A shorter result is found by trying, or is the same for everybody. */
const MIN_RESULT_LENGTH = 8;

/** A recipe that was found to be sound (`readRecipe`). */
export interface Recipe {
  /** In its one usual form. */
  readonly text: string;
  /** What it makes: text for a text column, bytes for a binary one. */
  readonly kind: Kind;
  /** How long its result always is, in bytes; `null` if that depends. */
  readonly exactly: number | null;
  /** What it uses of an account, besides the password; kept with each record. */
  readonly uses: readonly RecipeValue[];
  readonly expression: Expression;
}

/** What an account brings along. A salt may be text or bytes. */
export type RecipeInput = Readonly<Partial<Record<RecipeValue, Value>>> & { readonly password: string };

interface Checked extends Size {
  readonly kind: Kind;
  /** Whether the password stands here outside of any digest. */
  readonly showsPassword: boolean;
}

/**
 * Reads a recipe. What it may cost is known before it runs: it has no loops, no value passes 1 MiB, its calls handle 6 MiB
 * together at most, and what is dear is bounded as records are.
 * @throws RecipeError with the column, also where the old digest itself would sign in.
 * @example
 * ```ts
 * readRecipe("hex( sha1(concat(salt,password)) )").text // → "hex(sha1(concat(salt, password)))"
 * ```
 */
export function readRecipe(source: string): Recipe {
  const expression = readExpression(source);
  const uses = new Set<RecipeValue>();
  let digested = 0;
  let handled = 0;
  let dear = 0;

  function check(one: Expression): Checked {
    switch (one.kind) {
      case "value":
        uses.add(one.name);
        return {
          kind: "text",
          least: one.name === "password" ? 1 : 0,
          // Of a salt that is bytes, as many bytes.
          most: MAX_LENGTHS[one.name],
          showsPassword: one.name === "password",
        };
      case "text": {
        const characters = [...one.text].length;
        return { kind: "text", least: characters, most: characters, showsPassword: false };
      }
      case "number":
        throw new RecipeError("a number stands where a value is wanted", one.at);
      case "call":
        return checkCall(one);
    }
  }

  function checkCall({ name, of, at }: Expression & { kind: "call" }): Checked {
    const called = FUNCTIONS.get(name);
    if (called === undefined)
      throw new RecipeError(
        `there is no function "${name}"; there are ${[...FUNCTIONS.keys()].join(", ")}`,
        at,
      );
    assertCount(name, called, of, at);
    const parts = of.map((one, index) => checkPart(one, called.parameters[index] ?? "any"));
    const values = parts.filter((part) => part !== null);
    const written = of.map(writtenOf);
    const fault = called.fault?.(written) ?? null;
    if (fault !== null) throw new RecipeError(`${name}: ${fault}`, at);
    const isBytes = values.some(({ kind }) => kind === "bytes");
    const kind = called.kind ?? (isBytes ? "bytes" : "text");
    const given = parts.map((part, index): Size => {
      if (part === null) return { least: 0, most: 0 };
      const wanted = called.parameters[index] ?? "any";
      return part.kind === "text" && (wanted === "bytes" || (wanted === "any" && isBytes))
        ? sizeInBytes(part)
        : part;
    });
    const size = called.size(given, written);
    if (size.most > MAX_VALUE) throw new RecipeError(`${name}: its result may pass 1 MiB`, at);
    handled += size.most + given.reduce((sum, { most }) => sum + most, 0);
    if (handled > MAX_HANDLED)
      throw new RecipeError(`${name}: all the calls up to here handle more than 6 MiB together`, at);
    if (called.digests === true) digested += given.reduce((sum, { most }) => sum + most, 0);
    if (called.isDear === true) dear += 1;
    if (digested > MAX_DIGESTED)
      throw new RecipeError(`${name}: the digests read more than 4 MiB together`, at);
    if (dear > MAX_DEAR)
      throw new RecipeError(`${name}: ${MAX_DEAR} functions that are dear on purpose are enough`, at);
    return {
      ...size,
      kind,
      showsPassword: called.digests !== true && values.some(({ showsPassword }) => showsPassword),
    };
  }

  function checkPart(one: Expression, wanted: Parameter): Checked | null {
    if (wanted === "number") {
      if (one.kind !== "number") throw new RecipeError("a number is wanted here, as it is written", one.at);
      return null;
    }
    if (wanted === "digest") {
      if (one.kind !== "text" || !DIGEST_NAMES.includes(one.text))
        throw new RecipeError(
          `the name of a digest is wanted here: ${DIGEST_NAMES.map((name) => `"${name}"`).join(", ")}`,
          one.at,
        );
      return null;
    }
    const part = check(one);
    if (wanted === "text" && part.kind === "bytes")
      throw new RecipeError(
        "these are bytes, and text is wanted: hex(…) or base64(…) makes text of them",
        one.at,
      );
    return part;
  }

  const whole = check(expression);
  if (!uses.has("password"))
    throw new RecipeError("it does not use password: one result would fit any password", 1);
  if (whole.showsPassword)
    throw new RecipeError(
      "the password comes through undigested, so that the old digest itself would sign in; passwords in plain text have a kind of their own, and need no recipe",
      1,
    );
  if (whole.least < MIN_RESULT_LENGTH)
    throw new RecipeError(`its result may be shorter than ${MIN_RESULT_LENGTH} characters`, 1);
  uses.delete("password");
  const isSure = whole.least === whole.most && (whole.kind === "bytes" || whole.isAscii === true);
  return {
    text: writeExpression(expression),
    kind: whole.kind,
    exactly: isSure ? whole.most : null,
    uses: [...uses],
    expression,
  };
}

function assertCount(
  name: string,
  { parameters, isOpen }: RecipeFunction,
  of: readonly Expression[],
  at: number,
): void {
  if (of.length === parameters.length || (isOpen === true && of.length >= parameters.length)) return;
  const count = parameters.length === 1 ? "one argument" : `${parameters.length} arguments`;
  throw new RecipeError(
    `${name} takes ${isOpen === true ? "at least " : ""}${count}, here are ${of.length}`,
    at,
  );
}

/** What stands there as it is; of anything that is only known when it runs, nothing. */
function writtenOf(one: Expression): Value | number {
  if (one.kind === "number") return one.number;
  return one.kind === "text" ? one.text : "";
}

/**
 * What the recipe makes of a password.
 * @returns `null` where it cannot be computed: a value is missing or too long, or an old system could not have taken it.
 * @example
 * ```ts
 * await runRecipe(readRecipe("hex(md5(password))"), { password: "hut" }) // → "a11c65233b2ae3700c9133dbf9623429"
 * ```
 */
export async function runRecipe(
  { expression }: Pick<Recipe, "expression">,
  input: RecipeInput,
): Promise<Value | null> {
  switch (expression.kind) {
    case "text":
      return expression.text;
    case "number":
      return null;
    case "value": {
      const value = input[expression.name];
      return value === undefined || lengthOf(value) > MAX_LENGTHS[expression.name] ? null : value;
    }
    case "call": {
      const { name, of } = expression;
      const called = FUNCTIONS.get(name);
      if (called === undefined) return null;
      const given: Array<Value | number> = [];
      for (const [index, one] of of.entries()) {
        const wanted = called.parameters[index] ?? "any";
        const value = one.kind === "number" ? one.number : await runRecipe({ expression: one }, input);
        if (value === null) return null;
        if (wanted === "text" && typeof value !== "string" && typeof value !== "number") return null;
        given.push(wanted === "bytes" && typeof value === "string" ? bytesOf(value) : value);
      }
      return (called.run as (...all: Given) => ReturnType<RecipeFunction["run"]>)(...given);
    }
  }
}

/** Characters of a text, or bytes. */
function lengthOf(value: Value): number {
  return typeof value === "string" ? countCodePoints(value) : value.length;
}

/**
 * The old digest of a password, in bytes: what is sealed, and what is wrapped. A digest that is text is its UTF-8.
 * @returns `null` as `runRecipe`.
 * @example
 * ```ts
 * (await digestByRecipe(readRecipe("sha1(password)"), { password: "hut" })).length // → 20
 * ```
 */
export async function digestByRecipe(
  recipe: Pick<Recipe, "expression">,
  input: RecipeInput,
): Promise<Uint8Array | null> {
  const made = await runRecipe(recipe, input);
  return made === null ? null : bytesOf(made);
}

/**
 * Whether a recipe makes exactly what the old system stored, of this password; compared in constant time.
 * @example
 * ```ts
 * await matchesRecipe(readRecipe("hex(md5(password))"), { password: "hut" }, "a11c65233b2ae3700c9133dbf9623429") // → true
 * ```
 */
export async function matchesRecipe(recipe: Recipe, input: RecipeInput, stored: Value): Promise<boolean> {
  const made = await runRecipe(recipe, input);
  if (made === null || typeof made !== typeof stored) return false;
  return equalInConstantTime(bytesOf(made), bytesOf(stored));
}
