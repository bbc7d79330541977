/** Schemes: a password hash algorithm with its parameters, always written as a PHC prefix. */
import type { PhcString } from "./phc.ts";
import { phc, PhcReadError } from "./phc.ts";
import type { ScryptParameters } from "./scrypt.ts";
import { readScryptParameters } from "./scrypt.ts";

/** An algorithm with its parameters. `text` is its PHC prefix, `$scrypt$ln=15,r=8,p=3`. */
export interface Scheme<Parameters = ScryptParameters> {
  readonly id: "scrypt";
  readonly parameters: Parameters;
  readonly text: string;
}

/** Ceilings on what a string that was read may cost; above them nothing is computed. */
export interface SchemeLimits {
  /** Bytes of memory one computation may hold. */
  readonly memoryBytes: number;
  /** N·r·p for scrypt: proportional to time. */
  readonly operations: number;
}

/** A scheme that is unknown, malformed, or above the limits. The message names the parameter. */
export class SchemeError extends Error {
  override readonly name = "SchemeError";
}

/** 256 MiB, and eight times the time of the default scheme. */
export const DEFAULT_LIMITS: SchemeLimits = { memoryBytes: 256 * 2 ** 20, operations: 2 ** 23 };

/** The scheme used unless configured otherwise: 32 MiB, about a quarter of a second on a server core. */
export const DEFAULT_SCHEME_TEXT = "$scrypt$ln=15,r=8,p=3";

/**
 * Reads a scheme from its PHC prefix.
 * @throws SchemeError if it is malformed, unknown, above the limits, or a whole record with salt and hash.
 */
export function readScheme(text: string, limits: SchemeLimits = DEFAULT_LIMITS): Scheme {
  const parts = readParts(text);
  if (parts.salt !== undefined)
    throw new SchemeError("this is a whole record; a scheme ends before the salt");
  return schemeOf(parts, limits);
}

/** The scheme inside an already decoded PHC string. @throws SchemeError as `readScheme`. */
export function schemeOf(parts: PhcString, limits: SchemeLimits = DEFAULT_LIMITS): Scheme {
  if (parts.id !== "scrypt") throw new SchemeError(`the algorithm "${parts.id}" is not known; known: scrypt`);
  if (parts.version !== undefined) throw new SchemeError("scrypt has no version part");
  const parameters = readScryptParameters(parts.parameters, limits);
  const { ln, r, p } = parameters;
  return { id: "scrypt", parameters, text: `$scrypt$ln=${ln},r=${r},p=${p}` };
}

function readParts(text: string): PhcString {
  try {
    return phc.decode(text);
  } catch (error) {
    if (error instanceof PhcReadError) throw new SchemeError(`not a PHC prefix: ${error.message}`);
    throw error;
  }
}
