/** Schemes: a password hash algorithm with its parameters, always written as a PHC prefix. */
import type { Algorithm, Parameters, SchemeLimits } from "./algorithms/index.ts";
import { ALGORITHMS, DEFAULT_LIMITS, formatBytes } from "./algorithms/index.ts";
import type { PhcString } from "./phc.ts";
import { phc, PhcReadError } from "./phc.ts";

/** An algorithm with its parameters. */
export interface Scheme {
  readonly algorithm: Algorithm;
  readonly parameters: Parameters;
  /** Id of the key under which the hash is peppered; `null` if it is not. */
  readonly pepper: string | null;
  /** Id of the recipe that made the old digest which went through it; `null` if the password itself did. */
  readonly recipe: string | null;
  /** Its PHC prefix: `$scrypt$ln=15,r=8,p=3`, peppered `$scrypt$ln=15,r=8,p=3,pepper=k1`, of an old digest `…,pepper=k1,recipe=r1`. */
  readonly text: string;
}

/** A scheme that is unknown, malformed, or above the limits. The message names the parameter. */
export class SchemeError extends Error {
  override readonly name = "SchemeError";
}

/** The scheme used unless configured otherwise: 32 MiB, about a quarter of a second on a server core. */
export const DEFAULT_SCHEME_TEXT = "$scrypt$ln=15,r=8,p=3";

/** The parameters that name the pepper's key and the recipe. They stand last, in this order, behind those of the algorithm. */
const PEPPER = "pepper";
const RECIPE = "recipe";
const KEY_ID = /^[a-z0-9][a-z0-9-]{0,31}$/;
/** What a recipe may be called in a record. */
export const RECIPE_ID = KEY_ID;
/** Up to 999,999,999: no algorithm takes more, and it is exact as a number. */
const DECIMAL = /^[1-9][0-9]{0,8}$/;

/**
 * Reads a scheme from its PHC prefix.
 * @throws SchemeError if it is malformed, unknown, above the limits, or a whole record with salt and hash.
 * @example
 * ```ts
 * readScheme("$scrypt$ln=15,r=8,p=3").parameters // → { ln: 15, r: 8, p: 3 }
 * ```
 */
export function readScheme(text: string, limits: SchemeLimits = DEFAULT_LIMITS): Scheme {
  const parts = readParts(text);
  if (parts.salt !== undefined)
    throw new SchemeError("this is a whole record; a scheme ends before the salt");
  return schemeOf(parts, limits);
}

/** The scheme inside an already decoded PHC string. @throws SchemeError as `readScheme`. */
export function schemeOf(parts: PhcString, limits: SchemeLimits = DEFAULT_LIMITS): Scheme {
  const algorithm = ALGORITHMS.get(parts.id);
  if (algorithm === undefined) {
    throw new SchemeError(
      `the algorithm "${parts.id}" is not known; known: ${[...ALGORITHMS.keys()].join(", ")}`,
    );
  }
  assertVersion(algorithm, parts.version);
  const { pairs, pepper, recipe } = splitOurs(parts.parameters);
  const parameters = readParameters(algorithm, pairs);
  const fault = algorithm.fault?.(parameters) ?? faultOfLimits(algorithm, parameters, limits);
  if (fault !== null) throw new SchemeError(`${algorithm.id} with ${write(parameters)}: ${fault}`);
  return makeScheme(algorithm, parameters, pepper, recipe);
}

/** A scheme from its parts, which the caller knows to be right. */
export function makeScheme(
  algorithm: Algorithm,
  parameters: Parameters,
  pepper: string | null,
  recipe: string | null = null,
): Scheme {
  const version = algorithm.version === undefined ? "" : `$v=${algorithm.version}`;
  const ours = [
    pepper === null ? "" : `,${PEPPER}=${pepper}`,
    recipe === null ? "" : `,${RECIPE}=${recipe}`,
  ].join("");
  return {
    algorithm,
    parameters,
    pepper,
    recipe,
    text: `$${algorithm.id}${version}$${write(parameters)}${ours}`,
  };
}

/**
 * The same scheme, peppered under another key or under none.
 * @example
 * ```ts
 * withPepper(readScheme("$scrypt$ln=15,r=8,p=3"), "k2").text // → "$scrypt$ln=15,r=8,p=3,pepper=k2"
 * ```
 */
export function withPepper(scheme: Scheme, pepper: string | null): Scheme {
  return makeScheme(scheme.algorithm, scheme.parameters, pepper, scheme.recipe);
}

/** The same scheme, for old digests of a recipe. */
export function withRecipe(scheme: Scheme, recipe: string): Scheme {
  return makeScheme(scheme.algorithm, scheme.parameters, scheme.pepper, recipe);
}

/** Times the usual work below which what cannot be made here any more is weak. */
const MIN_SHARE_OF_USUAL = 1 / 4;

/**
 * Whether a digest of it should not lie at rest: below every floor, or of an algorithm without one much cheaper than usual.
 * @example
 * ```ts
 * isWeakAtRest(readScheme("$md5-crypt$rounds=1000")) // → true
 * ```
 */
export function isWeakAtRest(scheme: Scheme): boolean {
  const { algorithm, parameters } = scheme;
  if (algorithm.floors.length > 0) return floorsMissedBy(scheme) !== null;
  return algorithm.work(parameters) < algorithm.work(algorithm.usual) * MIN_SHARE_OF_USUAL;
}

/**
 * Why a scheme must not guard a public site: it lies below every floor of its algorithm.
 * @returns the floors as schemes, or `null` if it is dear enough.
 * @example
 * ```ts
 * floorsMissedBy(readScheme("$scrypt$ln=17,r=8,p=1")) // → null
 * floorsMissedBy(readScheme("$scrypt$ln=10,r=8,p=1")) // → [ "$scrypt$ln=17,r=8,p=1", "$scrypt$ln=16,r=8,p=2", "$scrypt$ln=15,r=8,p=3" ]
 * ```
 */
export function floorsMissedBy({ algorithm, parameters }: Scheme): readonly string[] | null {
  const reached = algorithm.floors.some((floor) =>
    Object.entries(floor).every(([name, least]) => (parameters[name] ?? 0) >= least),
  );
  return reached ? null : algorithm.floors.map((floor) => makeScheme(algorithm, floor, null).text);
}

/**
 * The PHC prefix of a stored record's text, without looking whether it can be computed: all before salt and hash.
 * @example
 * ```ts
 * schemeTextOf("$scrypt$ln=15,r=8,p=3$c2FsdA$aGFzaA") // → "$scrypt$ln=15,r=8,p=3"
 * ```
 */
export function schemeTextOf(record: string): string {
  const hash = record.lastIndexOf("$");
  return record.slice(0, Math.max(record.lastIndexOf("$", hash - 1), 0));
}

function assertVersion(algorithm: Algorithm, version: number | undefined): void {
  if (version === algorithm.version) return;
  throw new SchemeError(
    algorithm.version === undefined
      ? `${algorithm.id} has no version part`
      : `${algorithm.id} is read in version ${algorithm.version} alone: $${algorithm.id}$v=${algorithm.version}$…`,
  );
}

type Pairs = PhcString["parameters"];

/** Takes what is ours off the end. */
function splitOurs(all: Pairs): { pairs: Pairs; pepper: string | null; recipe: string | null } {
  const pairs = [...all];
  const take = (name: string, what: string): string | null => {
    const last = pairs.at(-1);
    if (last?.[0] !== name) return null;
    if (!KEY_ID.test(last[1])) throw new SchemeError(`${what} is not made of a-z, 0-9 and -`);
    pairs.pop();
    return last[1];
  };
  const recipe = take(RECIPE, "the recipe's id");
  const pepper = take(PEPPER, "the pepper's key id");
  return { pairs, pepper, recipe };
}

function readParameters(algorithm: Algorithm, pairs: Pairs): Parameters {
  const names = [...algorithm.parameters.keys()];
  if (pairs.length !== names.length || pairs.some(([name], index) => name !== names[index])) {
    const which = names.length === 1 ? "the parameter" : "the parameters";
    const order = names.length === 1 ? "" : " in this order";
    throw new SchemeError(`${algorithm.id} takes exactly ${which} ${names.join(", ")}${order}`);
  }
  return Object.fromEntries(
    pairs.map(([name, value]) => {
      if (DECIMAL.test(value)) return [name, Number(value)];
      throw new SchemeError(
        `${algorithm.id} parameter ${name} must be a whole number from 1 to 999999999 without leading zeros`,
      );
    }),
  );
}

/** Judged from the figures alone, so that an absurd string costs nothing. */
function faultOfLimits(
  algorithm: Algorithm,
  parameters: Parameters,
  { memoryBytes, timesUsual }: SchemeLimits,
): string | null {
  const memory = algorithm.memoryBytes(parameters);
  if (!(memory <= memoryBytes)) {
    return `it needs ${formatBytes(memory)} of memory; the limit is ${formatBytes(memoryBytes)}`;
  }
  const times = algorithm.work(parameters) / algorithm.work(algorithm.usual);
  if (times <= timesUsual) return null;
  return `it costs ${Math.ceil(times).toLocaleString("en")} times ${write(algorithm.usual)}; the limit is ${timesUsual} times`;
}

function write(parameters: Parameters): string {
  return Object.entries(parameters)
    .map(([name, value]) => `${name}=${value}`)
    .join(",");
}

function readParts(text: string): PhcString {
  try {
    return phc.decode(text);
  } catch (error) {
    if (error instanceof PhcReadError) throw new SchemeError(`not a PHC prefix: ${error.message}`);
    throw error;
  }
}
